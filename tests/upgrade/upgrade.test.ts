import { type ChildProcess, execFile } from "node:child_process";
import { existsSync } from "node:fs";
import { readdir, readFile, rm } from "node:fs/promises";
import { createServer, request } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { promisify } from "node:util";
import type { Browser } from "@playwright/test";
import { afterAll, beforeAll, expect, test } from "vitest";
import { browserTools } from "../../src/cli/browserTools";
import { documentsOf, openProject, signedIn } from "../../src/cli/measure/client";
import { seeded } from "../../src/cli/measure/random";
import { smallProject } from "../../src/cli/measure/smallProject";
import { startAppProcess } from "../../src/cli/serve";
import type { Sequence } from "../../src/core/document/sequence";
import type { DatabaseAddress } from "../../src/server/database/address";
import { freePort, type RunningDatabase, startDatabase } from "../../src/server/database/control";
import { type Database, openPool, type Row } from "../../src/server/database/pool";
import { type App, editing, logOf, type Running, sleep, watch } from "../support/editors";

/**
 * The version before, as `bin/test --upgrade` checked it out and built it, and this one, at one database: what its
 * tables become, who edits meanwhile, and which pages are open. Nothing of it is played: both are real builds.
 */
const BEFORE = path.resolve(process.env.PLEXTAN_BEFORE ?? "");
const HERE = process.cwd();
const FOLDER = "var/test-upgrade";
/** Versions until the end of November 2026 answered files of their own pages alone. */
const ANSWERS_ALL = existsSync(path.join(BEFORE, "src/server/files/pageFiles.ts"));
/** Each editor has a step. */
const STEPS = 12;
const EDITORS = STEPS;

let database: RunningDatabase;
let pool: Database;
let browser: Browser;
const running: ChildProcess[] = [];
beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  database = await startDatabase(FOLDER);
  pool = openPool(database.address, 2);
  browser = await (await browserTools()).launch();
});
afterAll(async () => {
  await browser?.close();
  for (const child of running) child.kill("SIGKILL");
  await pool?.end();
  await database?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

/** Does what a version does when it is started: brings the tables to what it needs, and puts its files into them. */
async function migratedBy(folder: string, address: DatabaseAddress): Promise<string[]> {
  const script = `
    const { migrate } = await import("./src/server/database/migrate.ts");
    const applied = await migrate(JSON.parse(process.env.ADDRESS));
    const kept = await import("./src/server/files/pageFiles.ts").catch(() => null);
    if (kept) {
      const { openPool } = await import("./src/server/database/pool.ts");
      const pool = openPool(JSON.parse(process.env.ADDRESS), 1);
      await kept.keepPageFiles(pool);
      await pool.end();
    }
    console.log(JSON.stringify(applied));`;
  const { stdout } = await promisify(execFile)(
    process.execPath,
    ["--import", "tsx", "--input-type=module", "-e", script],
    { cwd: folder, env: { ...process.env, ADDRESS: JSON.stringify(address) } },
  );
  return JSON.parse(stdout.trim().split("\n").at(-1) as string) as string[];
}

async function appOf(folder: string, address: DatabaseAddress): Promise<App> {
  const port = await freePort();
  const env = { PLEXTAN_DEMO: "1", PLEXTAN_READERS: "0", PLEXTAN_REQUESTS_A_MINUTE: "1000000" };
  const start = async () => {
    const child = await startAppProcess(port, [address], env, folder);
    running.push(child);
    return child;
  };
  return { url: `http://127.0.0.1:${port}`, child: await start(), start, well: true };
}

/** What stands before the apps: it asks one or the other, as it is told. */
function proxied(next: () => App): Promise<{ url: string; close(): void }> {
  const server = createServer((asked, answer) => {
    const to = new URL(asked.url ?? "/", next().url);
    const on = request(to, { method: asked.method, headers: asked.headers, agent: false }, (got) => {
      answer.writeHead(got.statusCode ?? 502, got.headers);
      got.pipe(answer);
    });
    on.on("error", () => (answer.headersSent ? answer.destroy() : answer.writeHead(502).end()));
    answer.on("close", () => on.destroy());
    asked.pipe(on);
  });
  return new Promise((done) =>
    server.listen(0, "127.0.0.1", () =>
      done({
        url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
        close: () => {
          server.closeAllConnections();
          server.close();
        },
      }),
    ),
  );
}

/** Names of the files that the pages of a build load. */
async function filesOf(folder: string): Promise<string[]> {
  const base = path.join(folder, ".next", "static");
  const all = await readdir(base, { recursive: true, withFileTypes: true });
  return all
    .filter((f) => f.isFile() && /\.(js|css|wasm|woff2)$/.test(f.name))
    .map((f) => path.relative(base, path.join(f.parentPath, f.name)));
}

/** Those that an app does not answer as they were built. */
async function missingAt(app: App, folder: string): Promise<string[]> {
  const missing: string[] = [];
  for (const name of await filesOf(folder)) {
    const r = await fetch(`${app.url}/_next/static/${name}`);
    const bytes = Buffer.from(await r.arrayBuffer());
    if (!r.ok || !bytes.equals(await readFile(path.join(folder, ".next", "static", name)))) missing.push(name);
  }
  return missing;
}

test("the version before and this one work at one database, pages of both are answered by both, and no edit is lost", async () => {
  const { address } = database;
  await migratedBy(BEFORE, address);
  const [old] = [await appOf(BEFORE, address)];
  let [by, turn] = [[old], 0];
  const proxy = await proxied(() => by[turn++ % by.length] as App);
  try {
    const client = await signedIn(old.url);
    const project = await openProject(client, smallProject(STEPS));
    const sequence = (await documentsOf<Sequence>(client, project)).find((d) => d.kind === "sequence");
    const state: Running = {
      ...{ apps: [old], cookie: client.cookie, done: false, again: 0, acknowledged: new Map() },
      ...{ waiting: [], longest: 0, random: seeded(5), last: 0 },
    };
    let broken: unknown = null;
    const work = [
      watch(state, old),
      ...Array.from({ length: EDITORS }, (_, i) => editing(state, i, sequence?.id as string, `s${i % STEPS}`)),
    ];
    for (const w of work) w.catch((error) => (broken ??= error));

    // Somebody has a page of the version before open, on a project of their own.
    const own = await openProject(client, smallProject(2, "Open meanwhile"));
    const page = await browser.newPage({ viewport: { width: 1000, height: 640 } });
    page.setDefaultTimeout(60_000);
    const broke: string[] = [];
    page.on("pageerror", (error) => broke.push(error.message));
    await page.goto(`${proxy.url}/project/${own}`);
    const adds = async (steps: number) => {
      await page.getByRole("button", { name: "Add step", exact: true }).click();
      await page.waitForFunction((n) => document.querySelectorAll("[data-step]").length === n, steps);
      await page.waitForFunction(
        () => document.querySelector("[data-testid=save-state]")?.textContent === "All changes saved",
      );
    };
    await adds(3);
    expect(await page.getByText("Plextan was updated").count()).toBe(0);

    // The tables become those of this version while all write by the one before.
    const applied = await migratedBy(HERE, address);
    console.log(`${applied.length} migrations under ${state.acknowledged.size} edits: ${applied.join(", ")}`);
    await adds(4);
    const now = await appOf(HERE, address);
    state.apps.push(now);
    work.push(watch(state, now));
    by = [old, now];
    await sleep(4000);
    expect(broken).toBeNull();
    const version = (app: App) => fetch(`${app.url}/api/health`).then((r) => r.headers.get("x-plextan-version"));
    expect(await version(now)).not.toBe(await version(old));

    // Files of both are answered by both: a page of one may load what it needs from the other.
    if (ANSWERS_ALL) {
      expect(await missingAt(now, BEFORE)).toEqual([]);
      expect(await missingAt(old, HERE)).toEqual([]);
    } else by = [old];
    await adds(5);
    await adds(6);
    // Opened while answers come from both by turns.
    await page.reload();
    await page.waitForFunction(() => document.querySelectorAll("[data-step]").length === 6);
    await adds(7);

    // The version before is ended, as by whoever runs it.
    by = [now];
    state.longest = 0;
    const ended = new Promise((done) => old.child.once("exit", done));
    old.child.kill("SIGTERM");
    await ended;
    await sleep(3000);
    const longest = Math.max(state.longest, ...state.waiting.map((w) => (w === null ? 0 : performance.now() - w)));
    await adds(8);
    // Whichever version the page came from: reloaded, it is this one, and has all.
    await page.reload();
    await page.waitForFunction(() => document.querySelectorAll("[data-step]").length === 8);
    await adds(9);
    expect(await page.getByText("Plextan was updated").count()).toBe(0);
    expect(broke).toEqual([]);

    state.done = true;
    await Promise.all(work);
    const log = await logOf(pool, state.acknowledged);
    console.log(
      `${EDITORS} editors, ${state.acknowledged.size} edits acknowledged, the longest wait when the version before ended ${(longest / 1000).toFixed(1)} s`,
    );
    expect(log).toMatchObject({ lost: [], doubled: [], gaps: [] });
    expect(state.acknowledged.size).toBeGreaterThan(100);
    expect(longest).toBeLessThan(5000);
    const [files] = await pool.query<Row[]>("SELECT COUNT(DISTINCT name) AS n FROM page_files");
    expect(Number(files[0]?.n)).toBeGreaterThan(0);
  } finally {
    proxy.close();
  }
}, 400_000);
