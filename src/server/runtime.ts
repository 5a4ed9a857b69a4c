import { database } from "./database/pool";
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
export async function health(): Promise<{ ok: boolean; database: boolean; worker: boolean; reader: boolean }> {
  const runtime = holder.plextanRuntime;
  const up = await database()
    .query("SELECT 1")
    .then(() => true)
    .catch(() => false);
  const worker = runtime !== undefined && Date.now() - runtime.worker.lastBeat < 5000;
  return { ok: up && worker, database: up, worker, reader: runtime?.kernels.ready ?? false };
}
