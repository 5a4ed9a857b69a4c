import { readdirSync, readFileSync } from "node:fs";
import { mkdir, mkdtemp, rm, writeFile } from "node:fs/promises";
import { request } from "node:http";
import { tmpdir } from "node:os";
import path from "node:path";
import { gunzipSync } from "node:zlib";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { type Served, serve } from "../../src/cli/serve";
import { type Database, openPool, type Row } from "../../src/server/database/pool";
import { keepPageFiles, pageFilesIn } from "../../src/server/files/pageFiles";
import { migrateToLater } from "../support/laterVersion";

const FOLDER = "var/test-updates";
let served: Served;
let pool: Database;
/** The built pages of a version that is not the one that runs. */
let other: string;
beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({ databaseFolder: FOLDER, seed: false, env: { PLEXTAN_READERS: "0" } });
  pool = openPool(served.database.address, 2);
  other = await mkdtemp(path.join(tmpdir(), "plextan-other-"));
  await mkdir(path.join(other, "chunks"));
  await writeFile(path.join(other, "chunks/0other.js"), 'console.log("of another version");');
  await writeFile(path.join(other, "chunks/0other.js.map"), "{}");
  await writeFile(path.join(other, "chunks/0other.css"), "p{color:red}");
});
afterAll(async () => {
  await pool?.end();
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
  await rm(other, { recursive: true, force: true });
});

const get = (name: string, headers: Record<string, string> = {}, method = "GET") =>
  new Promise<{ status: number; headers: Record<string, string | string[] | undefined>; body: Buffer }>((done, no) => {
    const url = new URL(name, served.url);
    request(url, { method, headers, agent: false }, (r) => {
      const pieces: Buffer[] = [];
      r.on("data", (d) => pieces.push(d));
      r.on("end", () => done({ status: r.statusCode ?? 0, headers: r.headers, body: Buffer.concat(pieces) }));
    })
      .on("error", no)
      .end();
  });
const kept = async () =>
  new Map(
    (await pool.query<Row[]>("SELECT name, left_at FROM page_files"))[0].map((r) => [r.name as string, r.left_at]),
  );
const ADDRESS = "/_next/static/";

describe("files of pages", () => {
  test("of the version that runs are kept at its start, and answered from its own folder", async () => {
    const names = pageFilesIn();
    expect(names.length).toBeGreaterThan(20);
    expect([...(await kept()).keys()].sort()).toEqual([...names].sort());
    const script = names.find((n) => n.endsWith(".js")) as string;
    const answer = await get(ADDRESS + script);
    expect(answer.status).toBe(200);
    expect(answer.body.equals(readFileSync(path.join(".next/static", script)))).toBe(true);
  });

  test("of another version are answered once it has started, by their type, to be kept for good", async () => {
    expect((await get(`${ADDRESS}chunks/0other.js`)).status).toBe(404);
    expect(await keepPageFiles(pool, other)).toBe(2);
    // What was not there a moment ago is looked for again before long.
    await expect.poll(async () => (await get(`${ADDRESS}chunks/0other.js`)).status, { timeout: 10_000 }).toBe(200);
    const script = await get(`${ADDRESS}chunks/0other.js?dpl=1`);
    expect(script.body.toString()).toBe('console.log("of another version");');
    expect(script.headers["content-type"]).toContain("javascript");
    expect(script.headers["x-content-type-options"]).toBe("nosniff");
    expect(script.headers["cache-control"]).toContain("immutable");
    const style = await get(`${ADDRESS}chunks/0other.css`, { "Accept-Encoding": "br, gzip" });
    expect(style.headers["content-encoding"]).toBe("gzip");
    expect(gunzipSync(style.body).toString()).toBe("p{color:red}");
    const head = await get(`${ADDRESS}chunks/0other.css`, {}, "HEAD");
    expect([head.status, head.headers["content-length"], head.body.length]).toEqual([200, "12", 0]);
    for (const name of ["chunks/0other.js.map", "chunks/none.js", "../server/x.js", "%2e%2e/BUILD_ID", ""])
      expect((await get(ADDRESS + name)).status, name).not.toBe(200);
  });

  test("are left when another version starts, come back with theirs, and are forgotten a month after", async () => {
    expect((await kept()).get("chunks/0other.js")).toBeNull();
    const names = pageFilesIn();
    expect((await kept()).get(names[0] as string)).not.toBeNull();
    await keepPageFiles(pool);
    const after = await kept();
    expect(after.get("chunks/0other.js")).not.toBeNull();
    expect(names.map((n) => after.get(n))).toEqual(names.map(() => null));
    await pool.query("UPDATE page_files SET left_at = left_at - INTERVAL 29 DAY WHERE left_at IS NOT NULL");
    await keepPageFiles(pool);
    expect((await kept()).has("chunks/0other.js")).toBe(true);
    await pool.query("UPDATE page_files SET left_at = left_at - INTERVAL 2 DAY WHERE left_at IS NOT NULL");
    await keepPageFiles(pool);
    expect((await kept()).has("chunks/0other.js")).toBe(false);
    expect((await kept()).size).toBe(names.length);
  });
});

test("every answer says the version that it comes from, and a page the one that made it", async () => {
  const version = readFileSync(".next/BUILD_ID", "utf8").trim();
  const script = `${ADDRESS}${pageFilesIn().find((n) => n.endsWith(".js"))}`;
  for (const at of ["/api/health", "/api/projects", "/", script, `${ADDRESS}none.js`])
    expect((await get(at)).headers["x-plextan-version"], at).toBe(version);
  expect((await get("/")).body.toString()).toContain(`data-build="${version}"`);
});

test("a version to come may have been there before: this one starts beside it all the same", async () => {
  const tables = readdirSync("db/migrations")
    .flatMap((f) => readFileSync(path.join("db/migrations", f), "utf8").match(/CREATE TABLE \w+/g) ?? [])
    .map((t) => t.replace("CREATE TABLE ", ""));
  expect(await migrateToLater(served.database.address, pool)).toBe(tables.length);
  expect((await get("/api/health")).status).toBe(200);
  expect(await keepPageFiles(pool, other)).toBe(2);
});
