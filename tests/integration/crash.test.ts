import { rm } from "node:fs/promises";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Served, serve } from "../../src/cli/serve";
import type { Sequence } from "../../src/core/document/sequence";
import { freshId } from "../../src/core/edit/id";
import { startDatabase } from "../../src/server/database/control";
import { openPool, type Row } from "../../src/server/database/pool";
import { smallProjectFile } from "../support/project";

const FOLDER = "var/test-crash";
let served: Served;
let cookie = "";

beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({ databaseFolder: FOLDER, seed: false, env: { PLEXTAN_READERS: "0" } });
  const r = await fetch(`${served.url}/api/session`, { method: "POST" });
  cookie = (r.headers.get("set-cookie") ?? "").split(";")[0] as string;
  expect(r.headers.get("set-cookie")).toMatch(/HttpOnly/i);
  expect(r.headers.get("set-cookie")).toMatch(/SameSite=lax/i);
});
afterAll(async () => {
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

const call = (path: string, init: RequestInit = {}) => fetch(served.url + path, { ...init, headers: { ...init.headers, cookie }, signal: AbortSignal.timeout(8000) });

test("app and database are killed at random moments in a run of 200 edits: each acknowledged edit is there exactly once", async () => {
  const opened = await call("/api/projects/open", { method: "POST", body: smallProjectFile() as BodyInit });
  const { id: project } = (await opened.json()) as { id: string };
  const read = async () => {
    const { documents } = (await (await call(`/api/projects/${project}/documents`)).json()) as { documents: { id: string; kind: string; revision: number; body: Sequence }[] };
    return documents.find((d) => d.kind === "sequence") as { id: string; revision: number; body: Sequence };
  };
  const document = await read();
  // At which edits something dies, and what: the app twice, the database twice, at moments nobody chose.
  const deaths = new Map<number, "app" | "database">();
  while (deaths.size < 4) deaths.set(10 + Math.floor(Math.random() * 180), deaths.size % 2 ? "database" : "app");

  const acknowledged: string[] = [];
  let base = document.revision;
  let reviving: Promise<void> | null = null;
  const revive = async (what: "app" | "database") => {
    if (what === "app") {
      served.app.kill("SIGKILL");
      served.app = await served.startApp();
    } else {
      const { port } = served.database.address;
      await served.database.kill();
      served.database = await startDatabase(FOLDER, port);
    }
  };
  for (let i = 0; i < 200; i++) {
    const edit = {
      id: freshId(),
      label: `edit ${i}`,
      patches: [
        {
          op: "add",
          path: ["steps", "s0", "moves", `m${i}`],
          value: { id: `m${i}`, kind: "hand", name: `${i}`, on: true, folder: null, colour: null, note: "", target: { type: "node", key: "root/base" }, keys: {} },
        },
      ],
    };
    const death = deaths.get(i);
    for (let attempt = 0; ; attempt++) {
      expect(attempt).toBeLessThan(80);
      const sent = call(`/api/documents/${document.id}/edits`, { method: "POST", body: JSON.stringify({ base, edits: [edit] }) });
      // The blow falls while the request is on its way.
      if (death && attempt === 0) {
        await new Promise((r) => setTimeout(r, Math.random() * 6));
        reviving = revive(death);
      }
      const answer = await sent.catch(() => null);
      if (answer?.ok) {
        base = ((await answer.json()) as { revision: number }).revision;
        acknowledged.push(`m${i}`);
        break;
      }
      if (answer && answer.status < 500) throw new Error(`refused: ${answer.status} ${await answer.text()}`);
      await new Promise((r) => setTimeout(r, 150));
    }
    if (reviving && death) {
      await reviving;
      reviving = null;
    }
  }
  const after = await read();
  const present = Object.keys(after.body.steps.s0?.moves ?? {}).filter((m) => /^m\d+$/.test(m));
  expect(acknowledged).toHaveLength(200);
  expect(present.sort()).toEqual([...acknowledged].sort());
  expect(after.revision).toBe(document.revision + 200);
  const pool = openPool(served.database.address, 1);
  const [rows] = await pool.query<Row[]>("SELECT COUNT(*) AS n, COUNT(DISTINCT edit_id) AS d FROM edit_log WHERE document_id = ?", [document.id]);
  await pool.end();
  expect([Number(rows[0]?.n), Number(rows[0]?.d)]).toEqual([200, 200]);
});

test("health tells what is up; without a session there is no answer", async () => {
  const health = await fetch(`${served.url}/api/health`);
  expect(await health.json()).toMatchObject({ ok: true, database: true, worker: true });
  const bare = await fetch(`${served.url}/api/projects`);
  expect(bare.status).toBe(401);
  const bad = await call("/api/projects", { method: "POST", body: JSON.stringify({ name: "x".repeat(5000) }) });
  expect(bad.status).toBe(400);
  expect(await bad.json()).toEqual({ error: "A project's name may have at most 200 characters." });
  expect((await call("/api/projects/zzzzzzzzzzzzzzzzzzzz")).status).toBe(404);
  expect((await call("/api/projects", { method: "POST", body: "{" })).status).toBe(400);
});

test("a project file that is no good is refused and leaves no project behind", async () => {
  const count = async () => ((await (await call("/api/projects")).json()) as { projects: unknown[] }).projects.length;
  const before = await count();
  const r = await call("/api/projects/open", { method: "POST", body: smallProjectFile().slice(0, 400) as BodyInit });
  expect(r.status).toBe(422);
  expect(((await r.json()) as { error: string }).error).toMatch(/damaged/);
  expect(await count()).toBe(before);
});
