import type { Pool } from "mysql2/promise";
import { ImportError } from "../../formats/importError";
import { CancelledError, type KernelPool } from "../kernel/pool";
import { beat, claimJob, endJob, type Job } from "../repositories/jobs";
import { importSource } from "./importer";

/** Takes waiting jobs one after the other and runs them, until stopped. A database that is away is waited for. */
export class JobWorker {
  private stopped = false;
  /** When the loop last reached the database, ms since the epoch. */
  lastBeat = 0;

  constructor(
    private readonly pool: Pool,
    private readonly kernels: KernelPool,
  ) {
    void this.loop();
  }

  stop(): void {
    this.stopped = true;
  }

  private async loop(): Promise<void> {
    while (!this.stopped) {
      let busy = false;
      try {
        const job = await claimJob(this.pool);
        this.lastBeat = Date.now();
        if (job) {
          busy = true;
          await this.run(job);
        }
      } catch (error) {
        console.error("job worker:", (error as Error).message);
      }
      if (!busy) await new Promise((r) => setTimeout(r, 250));
    }
  }

  private async run(job: Job): Promise<void> {
    const abort = new AbortController();
    let stage = "start";
    let share: number | null = null;
    const tick = async () => {
      const cancel = await beat(this.pool, job.id, stage, share).catch(() => false);
      this.lastBeat = Date.now();
      if (cancel) abort.abort();
    };
    const timer = setInterval(() => void tick(), 300);
    try {
      const { assembly, packageSha256 } = await importSource(
        this.pool,
        this.kernels,
        { workspaceId: job.workspaceId },
        { projectId: job.projectId, ...job.input },
        (s, v) => {
          stage = s;
          share = v;
        },
        abort.signal,
      );
      await endJob(this.pool, job.id, "done", { result: { nodes: assembly.nodes.length, warnings: assembly.warnings, packageSha256 } });
    } catch (error) {
      if (error instanceof CancelledError) await endJob(this.pool, job.id, "cancelled");
      else if (error instanceof ImportError) await endJob(this.pool, job.id, "failed", { error: error.message });
      else {
        console.error("import:", error);
        await endJob(this.pool, job.id, "failed", { error: "Something went wrong while storing the file. Try again." });
      }
    } finally {
      clearInterval(timer);
    }
  }
}
