import { rm } from "node:fs/promises";
import type { Sequence } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import type { LogAnswer } from "../../core/edit/replica";
import { type Database, openPool } from "../../server/database/pool";
import { demoActor } from "../../server/people/demo";
import { appendEdits } from "../../server/repositories/documentStore";
import { serve } from "../serve";
import { type Client, documentsOf, JSON_TYPE, openProject, signedIn } from "./client";
import type { Measurement } from "./measurement";
import { median } from "./measurement";
import { seeded } from "./random";
import { smallProject } from "./smallProject";

const EDITORS = 50;
const PROJECTS = 10;
const SAVES_EACH = 40;
const STEPS = 20;
/** What a person does between two saves, ms: they come unevenly. */
const THINK_MS = 700;

const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

interface Save {
  ms: number;
  trips: number;
}

/** One person in a sequence with four others: changes steps of their own mostly, another's now and then. */
async function edits(
  client: Client,
  document: string,
  from: number,
  who: number,
  random: () => number,
  out: Save[],
  resets: string[],
): Promise<void> {
  let base = from;
  for (let n = 0; n < SAVES_EACH; n++) {
    await sleep(THINK_MS * (0.3 + 1.4 * random()));
    const step = random() < 0.95 ? who * 4 + Math.floor(4 * random()) : Math.floor(STEPS * random());
    const edit: Edit = {
      id: freshId(),
      label: "Title",
      patches: [
        { op: "replace", path: ["steps", `s${step}`, random() < 0.5 ? "title" : "caption"], value: `by ${who}, ${n}` },
      ],
    };
    const began = performance.now();
    for (let trips = 1; ; trips++) {
      let r: Response;
      try {
        r = await client.call(
          `/api/documents/${document}/edits`,
          { method: "POST", body: JSON.stringify({ base, edits: [edit] }), headers: JSON_TYPE },
          30_000,
        );
      } catch (error) {
        resets.push(String((error as { cause?: { code?: string } }).cause?.code ?? (error as Error).message));
        continue;
      }
      const answer = (await r.json()) as LogAnswer;
      if (!r.ok && r.status !== 409) throw new Error(`A save was answered ${r.status}.`);
      base = answer.revision;
      if (!r.ok) continue;
      out.push({ ms: performance.now() - began, trips });
      break;
    }
  }
}

/** The same number of transactions of the same size, one row in and one changed, straight on the database. */
async function bare(pool: Database, count: number, atOnce: number): Promise<number> {
  await pool.query(
    "CREATE TABLE IF NOT EXISTS bare_documents (id INT PRIMARY KEY, revision INT NOT NULL) ENGINE=InnoDB",
  );
  await pool.query(
    "CREATE TABLE IF NOT EXISTS bare_log (document INT NOT NULL, revision INT NOT NULL, patches LONGTEXT NOT NULL, PRIMARY KEY (document, revision)) ENGINE=InnoDB",
  );
  await pool.query("TRUNCATE bare_log");
  await pool.query("REPLACE INTO bare_documents (id, revision) VALUES ?", [
    Array.from({ length: PROJECTS }, (_, i) => [i, 0]),
  ]);
  const patches = JSON.stringify([{ op: "replace", path: ["steps", "s1", "title"], value: "by someone, 12" }]);
  let next = 0;
  const began = performance.now();
  const one = async () => {
    for (let n = next++; n < count; n = next++) {
      const sql = await pool.getConnection();
      await sql.beginTransaction();
      await sql.query("SELECT revision FROM bare_documents WHERE id = ? FOR UPDATE", [n % PROJECTS]);
      await sql.query("INSERT INTO bare_log (document, revision, patches) VALUES (?, ?, ?)", [
        n % PROJECTS,
        n,
        patches,
      ]);
      await sql.query("UPDATE bare_documents SET revision = ? WHERE id = ?", [n, n % PROJECTS]);
      await sql.commit();
      sql.release();
    }
  };
  await Promise.all(Array.from({ length: atOnce }, one));
  return performance.now() - began;
}

type Send = (who: number, document: string, base: number, edits: Edit[]) => Promise<LogAnswer>;

/** Saves as fast as they go, each editor in a step of their own: what a save costs, next to the bare transaction. */
async function fast(documents: readonly string[], count: number, bases: number[], send: Send): Promise<number> {
  let next = 0;
  const began = performance.now();
  const one = async (who: number) => {
    const document = documents[who % PROJECTS] as string;
    for (let n = next++; n < count; n = next++) {
      const edit: Edit = {
        id: freshId(),
        label: "Title",
        patches: [
          { op: "replace", path: ["steps", `s${Math.floor(who / PROJECTS)}`, "title"], value: `by ${who}, ${n}` },
        ],
      };
      bases[who] = (await send(who, document, bases[who] ?? 0, [edit])).revision;
    }
  };
  await Promise.all(Array.from({ length: EDITORS }, (_, who) => one(who)));
  return performance.now() - began;
}

const at = (values: number[], share: number) =>
  values.sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(share * values.length))] ?? 0;

/**
 * Fifty people in ten projects, five to a sequence. Saves against bare transactions of the same number and size on the
 * same database, taken in turn; how many saves needed a second trip; twenty page loads at once on kept connections.
 */
export async function measureSaves(): Promise<Measurement[]> {
  const folder = "var/saves-db";
  await rm(folder, { recursive: true, force: true });
  const served = await serve({
    databaseFolder: folder,
    seed: false,
    env: { PLEXTAN_READERS: "0", PLEXTAN_REQUESTS_A_MINUTE: "1000000" },
  });
  const pool = openPool(served.database.address, 12);
  try {
    const clients: Client[] = [];
    for (let i = 0; i < EDITORS; i++) clients.push(await signedIn(served.url));
    const documents: string[] = [];
    for (let p = 0; p < PROJECTS; p++) {
      const project = await openProject(clients[0] as Client, smallProject(STEPS, `Project ${p}`));
      documents.push(
        (await documentsOf<Sequence>(clients[0] as Client, project)).find((d) => d.kind === "sequence")?.id as string,
      );
    }
    const count = 1500;
    const bases: number[] = [];
    const actor = await demoActor(pool);
    const direct: Send = async (_, document, base, edits) => {
      const r = await appendEdits(pool, actor, document, base, edits);
      if (!r.ok) throw new Error(`A save was refused: ${r.reason}.`);
      return r;
    };
    const overHttp: Send = async (who, document, base, edits) => {
      const r = await (clients[who] as Client).call(
        `/api/documents/${document}/edits`,
        { method: "POST", body: JSON.stringify({ base, edits }), headers: JSON_TYPE },
        30_000,
      );
      if (!r.ok) throw new Error(`A save was answered ${r.status}.`);
      return (await r.json()) as LogAnswer;
    };
    const rounds = { ours: [] as number[], http: [] as number[], bare: [] as number[] };
    for (let i = 0; i < 4; i++) {
      const [o, b, h] = [
        await fast(documents, count, bases, direct),
        await bare(pool, count, EDITORS),
        await fast(documents, count, bases, overHttp),
      ];
      // The first round warms up.
      if (i === 0) continue;
      rounds.ours.push(o);
      rounds.bare.push(b);
      rounds.http.push(h);
    }
    const saves: Save[] = [];
    const revisions = documents.map((_, d) => Math.max(...bases.filter((_b, who) => who % PROJECTS === d)));
    const resets: string[] = [];
    await Promise.all(
      clients.map((c, i) =>
        edits(
          c,
          documents[i % PROJECTS] as string,
          revisions[i % PROJECTS] ?? 0,
          Math.floor(i / PROJECTS),
          seeded(100 + i),
          saves,
          resets,
        ),
      ),
    );
    const again = saves.filter((s) => s.trips > 1).length;
    const loads = await pageLoads(clients, resets);
    const ours = median(rounds.ours);
    const reference = median(rounds.bare);
    return [
      {
        name: "saves",
        ours,
        reference,
        ratio: ours / reference,
        unit: "ms",
        note: `${count} saves by ${EDITORS} at once against as many bare transactions`,
      },
      {
        name: "saves-second-trip",
        ours: again,
        reference: saves.length,
        ratio: again / saves.length,
        unit: "saves",
        note: `p50 ${at(
          saves.map((s) => s.ms),
          0.5,
        ).toFixed(0)} ms, p95 ${at(
          saves.map((s) => s.ms),
          0.95,
        ).toFixed(0)} ms`,
      },
      {
        name: "saves-resets",
        ours: resets.length,
        reference: saves.length + loads,
        ratio: resets.length / (saves.length + loads),
        unit: "requests",
        note: resets.slice(0, 5).join(", ") || "none",
      },
    ];
  } finally {
    await pool.end();
    await served.stop();
    await rm(folder, { recursive: true, force: true });
  }
}

/** Twenty page loads at once, after pauses about as long as servers keep idle connections. */
async function pageLoads(clients: readonly Client[], resets: string[]): Promise<number> {
  let done = 0;
  for (const pauseMs of [0, 4900, 5000, 5100]) {
    await sleep(pauseMs);
    await Promise.all(
      clients.slice(0, 20).map(async (c) => {
        for (const page of ["/", "/api/projects"]) {
          done++;
          await c
            .call(page, {}, 30_000)
            .then((r) => r.arrayBuffer())
            .catch((error) =>
              resets.push(String((error as { cause?: { code?: string } }).cause?.code ?? (error as Error).message)),
            );
        }
      }),
    );
  }
  return done;
}
