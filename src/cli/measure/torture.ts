import { rm } from "node:fs/promises";
import type { Sequence } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import type { LogAnswer } from "../../core/edit/replica";
import { readProjectFile } from "../../formats/out/project/file";
import { openPool, type Row } from "../../server/database/pool";
import { type Served, serve } from "../serve";
import { type Client, documentsOf, FILE_TYPE, JSON_TYPE, openProject, signedIn } from "./client";
import type { Measurement } from "./measurement";
import { seeded } from "./random";
import { smallProject } from "./smallProject";

export interface TortureOptions {
  kills: number;
  seed: number;
  /** Folder of the database; thrown away. */
  folder: string;
  log?: (line: string) => void;
}

export interface TortureResult {
  kills: { app: number; database: number };
  acknowledged: number;
  /** Acknowledged edits that are not in the log, or whose effect is not in the document. */
  lost: string[];
  /** Edits that are in the log more than once. */
  doubled: string[];
  /** Answers that said they were whole and were not. */
  shortened: number;
  /** Downloads and uploads that came through. */
  streams: number;
  /** Projects in the list that do not open. */
  halves: number;
}

const WRITERS = 3;
const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/**
 * Kills app and database again and again at moments nobody chose, while some write edits and others send and fetch
 * whole projects. What was acknowledged is kept here, outside everything that is killed, and compared at the end.
 */
export async function torture({ kills, seed, folder, log = () => {} }: TortureOptions): Promise<TortureResult> {
  const random = seeded(seed);
  await rm(folder, { recursive: true, force: true });
  const served = await serve({
    databaseFolder: folder,
    seed: false,
    supervise: true,
    pauseMostMs: 0,
    env: { PLEXTAN_READERS: "0" },
  });
  try {
    const client = await signedIn(served.url);
    const file = smallProject(4);
    const project = await openProject(client, file);
    const sequence = (await documentsOf<Sequence>(client, project)).find((d) => d.kind === "sequence");
    if (!sequence) throw new Error("The project has no sequence.");
    const state: Running = {
      client,
      project,
      document: sequence.id,
      file,
      done: false,
      acknowledged: new Map(),
      shortened: 0,
      streams: 0,
    };
    const work = [...Array.from({ length: WRITERS }, (_, i) => writes(state, i, seeded(seed + 1 + i))), streams(state)];
    const died = { app: 0, database: 0 };
    for (let n = 0; n < kills; ) {
      await sleep(30 + 700 * random());
      const what = random() < 0.5 ? "app" : "database";
      const pid = what === "app" ? served.app.pid : served.database.pid;
      if (pid === undefined) continue;
      try {
        process.kill(pid, "SIGKILL");
        died[what]++;
        n++;
        if (n % 50 === 0) log(`${n} of ${kills} kills, ${state.acknowledged.size} edits acknowledged`);
      } catch {
        // It is being started again just now: the next blow falls later.
      }
      // Half of the time nothing is spared: the next blow falls while it comes up again.
      if (random() < 0.5) await alive(served);
    }
    await alive(served);
    await sleep(300);
    state.done = true;
    await Promise.all(work);
    return { kills: died, ...(await compare(served, state)) };
  } finally {
    await served.stop();
    await rm(folder, { recursive: true, force: true });
  }
}

interface Running {
  client: Client;
  project: string;
  document: string;
  file: Uint8Array;
  done: boolean;
  /** Edit id to the mark it leaves in the document. */
  acknowledged: Map<string, string>;
  shortened: number;
  streams: number;
}

async function alive(served: Served): Promise<void> {
  for (let i = 0; i < 600; i++) {
    const ok = await fetch(`${served.url}/api/health`, { signal: AbortSignal.timeout(2000) }).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) return;
    await sleep(50);
  }
  throw new Error("Plextan did not come back within 30 s.");
}

/** Writes edits as a desk does: in order, the same ones again until they are answered. */
async function writes(state: Running, who: number, random: () => number): Promise<void> {
  let base = 0;
  for (let n = 0; !state.done; n++) {
    const edits = Array.from({ length: 1 + Math.floor(3 * random()) }, (_, k): Edit => {
      const mark = `w${who}n${n}k${k}`;
      const value = {
        id: mark,
        kind: "hand",
        name: mark,
        on: true,
        folder: null,
        colour: null,
        note: "",
        target: { type: "node", key: "cube" },
        keys: {},
      };
      // Each takes the place of the one before, so that the document stays small.
      return { id: freshId(), label: mark, patches: [{ op: "add", path: ["steps", `s${who}`, "moves", "m"], value }] };
    });
    for (;;) {
      const r = await state.client
        .call(`/api/documents/${state.document}/edits`, {
          method: "POST",
          body: JSON.stringify({ base, edits }),
          headers: JSON_TYPE,
        })
        .catch(() => null);
      const answer = r?.ok ? ((await r.json().catch(() => null)) as LogAnswer | null) : null;
      if (answer) {
        base = answer.revision;
        for (const e of edits) state.acknowledged.set(e.id, e.label);
        break;
      }
      // An answer that was cut off counts as none.
      if (r && !r.ok && r.status < 500) throw new Error(`An edit was refused: ${r.status} ${await r.text()}`);
      await sleep(60);
    }
  }
}

/** Fetches and sends whole projects: what says it is whole must be. */
async function streams(state: Running): Promise<void> {
  while (!state.done) {
    const r = await state.client.call(`/api/projects/${state.project}/file`, {}, 20_000).catch(() => null);
    if (r?.ok) {
      const bytes = await r.arrayBuffer().catch(() => null);
      if (bytes) {
        state.streams++;
        try {
          readProjectFile(new Uint8Array(bytes));
        } catch {
          state.shortened++;
        }
      }
    }
    const sent = await state.client
      .call("/api/projects/open", { method: "POST", body: state.file as BodyInit, headers: FILE_TYPE }, 20_000)
      .catch(() => null);
    if (sent?.ok) state.streams++;
    await sleep(50);
  }
}

async function compare(served: Served, state: Running): Promise<Omit<TortureResult, "kills">> {
  const pool = openPool(served.database.address, 2);
  try {
    const [rows] = await pool.query<Row[]>(
      "SELECT edit_id, label, COUNT(*) AS n FROM edit_log WHERE document_id = ? GROUP BY edit_id, label",
      [state.document],
    );
    const counts = new Map(rows.map((r) => [r.edit_id as string, Number(r.n)]));
    const lost = [...state.acknowledged.keys()].filter((id) => !counts.has(id));
    const doubled = [...counts].filter(([, n]) => n > 1).map(([id]) => id);
    // The document says the same as its log: each writer's last edit is what stands.
    const [last] = await pool.query<Row[]>("SELECT label FROM edit_log WHERE document_id = ? ORDER BY revision", [
      state.document,
    ]);
    const after = (await documentsOf<Sequence>(state.client, state.project)).find((d) => d.id === state.document);
    for (let who = 0; who < WRITERS; who++) {
      const expected = last.filter((r) => (r.label as string).startsWith(`w${who}n`)).at(-1)?.label as
        | string
        | undefined;
      if (expected && after?.body.steps[`s${who}`]?.moves.m?.name !== expected) lost.push(`the effect of ${expected}`);
    }
    const { projects } = (await (await state.client.call("/api/projects")).json()) as { projects: { id: string }[] };
    let halves = 0;
    for (const p of projects) {
      const documents = await documentsOf(state.client, p.id);
      const pkg = await state.client.call(`/api/projects/${p.id}/package`);
      if (documents.length !== 2 || !pkg.ok) halves++;
    }
    return {
      acknowledged: state.acknowledged.size,
      lost,
      doubled,
      shortened: state.shortened,
      streams: state.streams,
      halves,
    };
  } finally {
    await pool.end();
  }
}

/** 500 kills of app and database at random moments. `ours` is what was lost or doubled; it must be 0. */
export async function measureTorture(): Promise<Measurement[]> {
  const kills = Number(process.env.PLEXTAN_KILLS ?? 500);
  const r = await torture({
    kills,
    seed: Number(process.env.PLEXTAN_SEED ?? 1),
    folder: "var/torture-db",
    log: (line) => process.stderr.write(`${line}\n`),
  });
  const line = (name: string, ours: number, reference: number, unit: string, note?: string): Measurement => ({
    name,
    ours,
    reference,
    ratio: ours / Math.max(1, reference),
    unit,
    ...(note ? { note } : {}),
  });
  return [
    line(
      "torture-lost",
      r.lost.length,
      r.acknowledged,
      "edits",
      `of those acknowledged; ${r.kills.app} kills of the app, ${r.kills.database} of the database`,
    ),
    line("torture-doubled", r.doubled.length, r.acknowledged, "edits"),
    line("torture-shortened", r.shortened, r.streams, "files", "downloads that said they were whole and were not"),
    line("torture-halves", r.halves, r.streams, "projects", "that are in the list and do not open"),
  ];
}
