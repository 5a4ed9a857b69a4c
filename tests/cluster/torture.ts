import { documentsOf, FILE_TYPE, JSON_TYPE, openProject, signedIn } from "../../src/cli/measure/client";
import { seeded } from "../../src/cli/measure/random";
import { smallProject } from "../../src/cli/measure/smallProject";
import { startAppProcess } from "../../src/cli/serve";
import type { Sequence } from "../../src/core/document/sequence";
import { migrate } from "../../src/server/database/migrate";
import { openPool, type Row } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { takeUpload } from "../../src/server/limits/uploads";
import { type App, call, editing, logOf, type Running, sleep, watch } from "../support/editors";
import { migrateToLater } from "../support/laterVersion";
import { type Cluster, type Node, ownPort, startCluster } from "./nodes";

/** Steps of each project, and editors in it: each works in a step of their own, all in one document. */
const STEPS = 5;
const OBJ = "v 0 0 0\nv 10 0 0\nv 0 10 0\nv 0 0 10\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";

export interface Blow {
  what: string;
  /** Longest time that an editor waited for an answer around it, ms. */
  longestMs: number;
}

export interface ClusterResult {
  editors: number;
  acknowledged: number;
  lost: string[];
  doubled: string[];
  /** Documents that are not the same on each node. */
  apart: string[];
  jobs: number;
  /** Jobs that did not come to exactly one assembly with its documents. */
  odd: string[];
  blows: Blow[];
  /** Requests that were answered with an error, or not at all, and sent again. */
  again: number;
  /** Times that not exactly one of three nodes, asked at once, let somebody through where only one may pass. */
  crowded: number;
  /** Times that what one node had acknowledged was not seen at another that was asked at once. */
  stale: number;
}

interface Importing extends Running {
  /** Job to project. */
  imports: Map<string, string>;
}

/** Makes projects and brings files in, one after the other. */
async function imports(state: Importing, who: number, everyMs: number): Promise<void> {
  for (let n = 0; !state.done; n++) {
    const made = await call(state, who, "/api/projects", {
      method: "POST",
      body: JSON.stringify({ name: `Import ${who}.${n}` }),
      headers: JSON_TYPE,
    });
    const { id } = (await made.json().catch(() => ({}))) as { id?: string };
    if (!id) continue;
    // An import whose answer was lost may run: sent again it is refused, or ends as a second job that finds the first.
    const sent = await call(
      state,
      who,
      `/api/projects/${id}/source?name=tetra-${who}-${n}.obj`,
      { method: "POST", body: `# ${who} ${n}\n${OBJ}`, headers: FILE_TYPE },
      (r) => r.ok || r.status === 409,
    );
    const { job } = (await sent.json().catch(() => ({}))) as { job?: string };
    if (job) state.imports.set(job, id);
    await sleep(everyMs);
  }
}

async function healthy(apps: readonly App[], nodes: number): Promise<void> {
  for (let i = 0; i < 400; i++) {
    const all = await Promise.all(
      apps.map((a) =>
        fetch(`${a.url}/api/health`, { signal: AbortSignal.timeout(2000) })
          .then(async (r) => r.ok && ((await r.json()) as { nodes: (string | null)[] }).nodes)
          .catch(() => false as const),
      ),
    );
    if (all.every((h) => h && h.filter((n) => n === null).length === nodes)) return;
    await sleep(150);
  }
  throw new Error("Not all apps see all nodes well after a minute.");
}

/**
 * Waits until each node says by itself that all are there: one that was frozen takes itself for well for a moment. To
 * kill another then would be two of three at once, and what is left may not go on.
 */
async function whole(cluster: Cluster): Promise<void> {
  let sizes: string[] = [];
  for (let i = 0; i < 1200; i++) {
    sizes = await Promise.all(
      cluster.nodes.map(async (n) => {
        const pool = openPool(n.address, 1);
        try {
          const [rows] = await pool.query<Row[]>(
            "SHOW STATUS WHERE Variable_name IN ('wsrep_cluster_size', 'wsrep_local_state_comment')",
          );
          return rows
            .map((r) => r.Value)
            .sort()
            .join(" ");
        } catch {
          return "away";
        } finally {
          await pool.end();
        }
      }),
    );
    if (sizes.every((s) => s === "3 Synced")) return;
    await sleep(150);
  }
  const said = await Promise.all(cluster.nodes.map(async (n, i) => `Node ${i + 1}, ${sizes[i]}:\n${await n.said()}`));
  throw new Error(`The nodes did not come together again after three minutes.\n${said.join("\n")}`);
}

const nodeOf = async (app: App): Promise<number> =>
  ((await (await fetch(`${app.url}/api/health`)).json()) as { node: number }).node - 1;

/**
 * Kills and freezes nodes of a database cluster and app processes while people edit and files are brought in. What was
 * acknowledged is kept here, outside everything that is killed, and compared with every node at the end.
 */
export async function clusterTorture(options: {
  editors: number;
  seed: number;
  freezeMs: number;
  /** How often each kind of blow falls. */
  rounds: number;
  /** How long each of those who bring in files rests between two, ms. */
  importEveryMs: number;
  /** How often it is looked whether one node sees at once what another has acknowledged. */
  looks: number;
  log?: (line: string) => void;
}): Promise<ClusterResult> {
  const log = options.log ?? (() => {});
  const random = seeded(options.seed);
  const cluster: Cluster = await startCluster(3);
  const apps: App[] = [];
  try {
    const addresses = cluster.nodes.map((n) => n.address);
    await migrate(addresses[0] as (typeof addresses)[number]);
    log("three nodes are up");
    const crowded = await crowdedDoors(cluster);
    const stale = await staleReads(cluster, options.looks);
    for (let i = 0; i < 3; i++) {
      const port = await ownPort();
      // Each begins at a node of its own.
      const order = [...addresses.slice(i), ...addresses.slice(0, i)];
      const start = () =>
        startAppProcess(port, order, {
          PLEXTAN_DEMO: "1",
          PLEXTAN_READERS: "0",
          PLEXTAN_REQUESTS_A_MINUTE: "1000000",
          PLEXTAN_UPLOADS: "50",
        });
      apps.push({ url: `http://127.0.0.1:${port}`, child: await start(), start, well: true });
    }
    const client = await signedIn(apps[0]?.url as string);
    const state: Importing = {
      ...{ apps, cookie: client.cookie, done: false, again: 0, acknowledged: new Map(), waiting: [], longest: 0 },
      ...{ imports: new Map(), random, last: 0 },
    };
    const documents: string[] = [];
    const projects: string[] = [];
    for (let p = 0; p < Math.ceil(options.editors / STEPS); p++) {
      const project = await openProject(client, smallProject(STEPS, `Project ${p}`));
      projects.push(project);
      documents.push((await documentsOf<Sequence>(client, project)).find((d) => d.kind === "sequence")?.id as string);
    }
    log("three apps are up, projects are made");
    const work = [
      ...apps.map((a) => watch(state, a)),
      ...Array.from({ length: options.editors }, (_, i) =>
        editing(state, i, documents[Math.floor(i / STEPS)] as string, `s${i % STEPS}`),
      ),
      imports(state, 0, options.importEveryMs),
      imports(state, 1, options.importEveryMs),
    ];
    let broken: unknown = null;
    for (const w of work) w.catch((error) => (broken ??= error));
    const blows: Blow[] = [];
    /** Lets a blow fall and watches how long editors wait until all go on. */
    const blow = async (what: string, fall: () => Promise<void>, mend: () => Promise<void>) => {
      await healthy(apps, 3);
      await whole(cluster);
      await sleep(1500);
      state.longest = 0;
      await fall();
      // As long as it takes until every editor that waited then has been answered.
      const fallen = performance.now();
      while (
        performance.now() - fallen < 40_000 &&
        state.waiting.some((w) => w !== null && performance.now() - w > 1500)
      )
        await sleep(50);
      await sleep(1500);
      while (performance.now() - fallen < 40_000 && state.waiting.some((w) => w !== null && w < fallen + 1000))
        await sleep(50);
      // Who still waits has waited that long, too.
      const still = state.waiting.map((w) => (w === null ? 0 : performance.now() - w));
      const longestMs = Math.round(Math.max(state.longest, ...still));
      await mend();
      blows.push({ what, longestMs });
      log(`${what}: the longest wait was ${(longestMs / 1000).toFixed(1)} s; ${state.acknowledged.size} edits so far`);
      if (broken) throw broken;
    };
    const some = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
    for (let r = 0; r < options.rounds; r++) {
      const node = some(cluster.nodes);
      await blow(
        "a node is killed",
        () => node.kill(),
        () => node.start(),
      );
      const app = some(apps);
      await blow(
        "an app is killed",
        async () => {
          app.child.kill("SIGKILL");
        },
        async () => {
          app.child = await app.start();
        },
      );
      const stuck = some(apps);
      await blow(
        `an app is frozen for ${options.freezeMs / 1000} s`,
        async () => {
          // Whatever it has under way stays so; what it holds others must not wait for.
          stuck.child.kill("SIGSTOP");
          setTimeout(() => stuck.child.kill("SIGCONT"), options.freezeMs);
          await sleep(options.freezeMs);
        },
        async () => {},
      );
      let writer: Node = node;
      await blow(
        "the node that took the last write is killed",
        async () => {
          const before = state.acknowledged.size;
          while (state.acknowledged.size === before) await sleep(2);
          writer = cluster.nodes[await nodeInCluster(cluster, apps, state.last)] as Node;
          await writer.kill();
        },
        () => writer.start(),
      );
      const frozen = some(cluster.nodes);
      await blow(
        `a node is frozen for ${options.freezeMs / 1000} s`,
        async () => {
          frozen.freeze();
          setTimeout(() => frozen.thaw(), options.freezeMs);
          await sleep(options.freezeMs);
        },
        async () => {},
      );
    }
    // An update: the tables become those of a version to come while all write, then one app after the other is ended
    // as by whoever runs it, and started anew.
    await blow(
      "Plextan is updated",
      async () => {
        const address = some(addresses);
        const pool = openPool(address, 1);
        await migrateToLater(address, pool).finally(() => pool.end());
        for (const app of apps) {
          const ended = new Promise((done) => app.child.once("exit", done));
          app.child.kill("SIGTERM");
          await ended;
          app.child = await app.start();
        }
      },
      async () => {},
    );
    await healthy(apps, 3);
    state.done = true;
    await Promise.all(work);
    await jobsEnded(state);
    return {
      editors: options.editors,
      blows,
      again: state.again,
      crowded,
      stale,
      ...(await compare(cluster, state, documents)),
    };
  } finally {
    for (const a of apps) a.child.kill("SIGKILL");
    await cluster.stop();
  }
}

/** Three nodes are asked at once for the one place that there is for an upload, again and again. */
async function crowdedDoors(cluster: Cluster): Promise<number> {
  const pools = cluster.nodes.map((n) => openPool(n.address, 2));
  let crowded = 0;
  try {
    const workspace = newId();
    await pools[0]?.query("INSERT INTO workspaces (id, name) VALUES (?, 'Doors')", [workspace]);
    for (const p of pools) {
      await p.query("SET SESSION wsrep_sync_wait = 1");
      await p.query("SELECT 1 FROM workspaces");
    }
    for (let round = 0; round < 25; round++) {
      const taken = await Promise.all(pools.map((p) => takeUpload(p, workspace, 1)));
      if (taken.filter((t) => t !== null).length !== 1) crowded++;
      for (const give of taken) await give?.();
      // Given back everywhere before the next: a place is counted by who has not heard of that as well.
      await sleep(60);
    }
  } finally {
    for (const p of pools) await p.end();
  }
  return crowded;
}

/** What one node has acknowledged is looked for at another at once, as by a request that a proxy sends elsewhere. */
async function staleReads(cluster: Cluster, looks: number): Promise<number> {
  const addresses = cluster.nodes.map((n) => n.address);
  const [here, there] = [openPool(addresses, 2), openPool(addresses.toReversed(), 2)];
  let stale = 0;
  try {
    const value = "x".repeat(60);
    for (let n = 0; n < looks; n++) {
      const name = `${n} ${value}`;
      // Much at once, so that it takes the others a moment to have it too.
      await here.query("INSERT INTO doors (name, passed) VALUES ?", [
        Array.from({ length: 200 }, (_, k) => [k === 199 ? name : `${n} ${k}`, n]),
      ]);
      const [rows] = await there.query<Row[]>("SELECT passed FROM doors WHERE name = ?", [name]);
      if (rows.length === 0) stale++;
    }
    await here.query("DELETE FROM doors");
  } finally {
    await here.end();
    await there.end();
  }
  return stale;
}

/** The node, in the cluster's order, that an app speaks to: its own order begins at another. */
async function nodeInCluster(cluster: Cluster, apps: readonly App[], app: number): Promise<number> {
  return (app + (await nodeOf(apps[app] as App))) % cluster.nodes.length;
}

async function jobsEnded(state: Importing): Promise<void> {
  for (const job of state.imports.keys()) {
    for (let i = 0; i < 600; i++) {
      const r = await call(state, 0, `/api/jobs/${job}`, {});
      const { state: at } = (await r.json()) as { state: string };
      if (at !== "waiting" && at !== "running") break;
      await sleep(100);
    }
  }
}

async function compare(
  cluster: Cluster,
  state: Importing,
  documents: readonly string[],
): Promise<Pick<ClusterResult, "acknowledged" | "lost" | "doubled" | "apart" | "jobs" | "odd">> {
  const lost = new Set<string>();
  const doubled = new Set<string>();
  const odd = new Set<string>();
  const apart = new Set<string>();
  const seen = new Map<string, string>();
  for (const node of cluster.nodes) {
    const pool = openPool(node.address, 2);
    try {
      await pool.query("SET SESSION wsrep_sync_wait = 1");
      const log = await logOf(pool, state.acknowledged);
      for (const mark of log.lost) lost.add(mark);
      for (const id of log.doubled) doubled.add(id);
      for (const d of documents) {
        const text = JSON.stringify(log.of.get(d) ?? []);
        if (seen.has(d) && seen.get(d) !== text) apart.add(d);
        seen.set(d, text);
      }
      for (const d of log.gaps) apart.add(`${d} has gaps`);
      for (const [job, project] of state.imports) {
        const [found] = await pool.query<Row[]>(
          `SELECT j.state, j.error, (SELECT COUNT(*) FROM assembly_revisions a WHERE a.project_id = p.id) AS assemblies,
             (SELECT COUNT(*) FROM documents d WHERE d.project_id = p.id) AS documents,
             (SELECT COUNT(*) FROM jobs k WHERE k.project_id = p.id AND k.state = 'done') AS done
           FROM jobs j JOIN projects p ON p.id = j.project_id WHERE j.id = ? AND p.id = ?`,
          [job, project],
        );
        const f = found[0];
        if (Number(f?.assemblies) !== 1 || Number(f?.documents) !== 2 || Number(f?.done) !== 1)
          odd.add(`${job}: ${JSON.stringify(f ?? null)}`);
      }
    } finally {
      await pool.end();
    }
  }
  // What the documents say is what their logs say: the last edit of each step stands.
  const url = state.apps[0]?.url as string;
  const latest = new Map<string, string>();
  for (const { document, step, mark } of state.acknowledged.values()) latest.set(`${document} ${step}`, mark);
  const r = await fetch(`${url}/api/projects`, { headers: { cookie: state.cookie, Origin: url } });
  const { projects } = (await r.json()) as { projects: { id: string }[] };
  for (const p of projects) {
    const found = await fetch(`${url}/api/projects/${p.id}/documents`, {
      headers: { cookie: state.cookie, Origin: url },
    });
    const list = ((await found.json()) as { documents: { id: string; body: Sequence }[] }).documents;
    for (const d of list)
      for (const step of Object.keys(d.body.steps ?? {})) {
        const expected = latest.get(`${d.id} ${step}`);
        const is = d.body.steps[step]?.moves.m?.name;
        if (expected && is !== expected) lost.add(`the effect of ${expected}: it is ${is}`);
      }
  }
  return {
    acknowledged: state.acknowledged.size,
    lost: [...lost],
    doubled: [...doubled],
    apart: [...apart],
    jobs: state.imports.size,
    odd: [...odd],
  };
}
