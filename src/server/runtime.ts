import { NOT_OF_MAJORITY } from "./database/nodes";
import { database, databaseNodes } from "./database/pool";
import { sweepSpool } from "./files/spool";
import { JobWorker } from "./imports/worker";
import { KernelPool } from "./kernel/pool";

interface Runtime {
  kernels: KernelPool;
  worker: JobWorker;
}
const holder = globalThis as { plextanRuntime?: Runtime };

/** Starts what runs beside the routes in an app process: the CAD readers and the job worker. Once a process. */
export function startRuntime(): Runtime {
  holder.plextanRuntime ??= (() => {
    void sweepSpool();
    const readers = Number(process.env.PLEXTAN_READERS ?? 2);
    const kernels = new KernelPool({
      processes: readers,
      memoryBytes: Number(process.env.PLEXTAN_READER_MB ?? 4096) * 1024 ** 2,
    });
    return { kernels, worker: new JobWorker(database(), kernels, Math.max(1, readers)) };
  })();
  return holder.plextanRuntime;
}

/** What /api/health tells. */
export interface Health {
  ok: boolean;
  database: boolean;
  worker: boolean;
  reader: boolean;
  /** Of a cluster: how each node stands, in the order of the setting; null when it is well. */
  nodes?: (string | null)[];
  /** Which of them is spoken to, from 1. */
  node?: number;
}

/** How this process stands. */
export async function health(): Promise<Health> {
  const runtime = holder.plextanRuntime;
  const up = await database()
    .query("SELECT 1")
    .then(() => true)
    .catch(() => false);
  const worker = runtime !== undefined && Date.now() - runtime.worker.lastBeat < 5000;
  const { states: nodes, at } = databaseNodes();
  return {
    ok: up && worker,
    database: up,
    worker,
    reader: runtime?.kernels.ready ?? false,
    // Without addresses or the words of the network: anybody may ask.
    ...(nodes.length > 1
      ? {
          nodes: nodes.map((n) => (n.well ? null : n.why === NOT_OF_MAJORITY ? n.why : "it does not answer")),
          node: at + 1,
        }
      : {}),
  };
}
