import { ImportError, NO_ROOM } from "../../formats/importError";
import { isAway, isFull } from "../database/faults";
import { type Database, transaction } from "../database/pool";
import { CancelledError, type KernelPool } from "../kernel/pool";
import { log } from "../log";
import { beat, type Claim, claimJob, endJob, giveBackJob, holdJob } from "../repositories/jobs";
import { AlreadyThere, attachFirst } from "../repositories/projects";
import { firstDocuments } from "./firstDocuments";
import { type ImportResult, importSource } from "./importer";

/** Another process has the job by now; what was done here is not kept. */
class LostError extends Error {}

/** Takes waiting jobs and runs them, a few at once, until stopped. A database that is away is waited for. */
export class JobWorker {
  private stopped = false;
  private running = 0;
  /** When the loop last reached the database, ms since the epoch. */
  lastBeat = 0;

  constructor(
    private readonly pool: Database,
    private readonly kernels: KernelPool,
    private readonly atOnce = 1,
  ) {
    void this.loop();
  }

  stop(): void {
    this.stopped = true;
  }

  private async loop(): Promise<void> {
    while (!this.stopped) {
      let taken = false;
      try {
        if (this.running < this.atOnce) {
          const claim = await claimJob(this.pool);
          if (claim) {
            taken = true;
            this.running++;
            void this.run(claim).finally(() => {
              this.running--;
            });
          }
        } else await this.pool.query("SELECT 1");
        this.lastBeat = Date.now();
      } catch (error) {
        log().error({ err: error }, "job worker");
      }
      if (!taken) await new Promise((r) => setTimeout(r, 250));
    }
  }

  private async run(claim: Claim): Promise<void> {
    const { job } = claim;
    const abort = new AbortController();
    let lost = false;
    let stage = "start";
    let share: number | null = null;
    const tick = async () => {
      const told = await beat(this.pool, claim, stage, share).catch(() => "go on" as const);
      lost ||= told === "lost";
      if (told !== "go on") abort.abort();
    };
    const timer = setInterval(() => void tick(), 300);
    try {
      const result = await importSource(
        this.pool,
        this.kernels,
        { workspaceId: job.workspaceId },
        job.input,
        (s, v) => {
          stage = s;
          share = v;
        },
        abort.signal,
      );
      await this.finish(claim, result);
    } catch (error) {
      if (lost || error instanceof LostError) return;
      const end = (state: "failed" | "cancelled", text?: string) =>
        endJob(this.pool, claim, state, text ? { error: text } : {}).catch(() => {});
      if (error instanceof CancelledError) await end("cancelled");
      else if (error instanceof ImportError) await end("failed", error.message);
      else if (error instanceof AlreadyThere)
        await end(
          "failed",
          "Another file was brought into this project meanwhile. Reload the page to see it; bring this one in as a revision.",
        );
      else if (isFull(error)) {
        log().error({ err: error }, "no room left");
        await end("failed", NO_ROOM);
      } else if (isAway(error)) {
        // The database went away under it, not the file. Where it cannot even be put back, its silence tells.
        log().warn({ err: error }, "import begun anew");
        await giveBackJob(this.pool, claim).catch(() => {});
      } else {
        log().error({ err: error }, "import");
        await end("failed", "Something went wrong while storing the file. Try again.");
      }
    } finally {
      clearInterval(timer);
    }
  }

  /** Puts the result in place and ends the job, both or neither, and only while the claim holds. */
  private async finish(claim: Claim, { assembly, packageSha256, settings }: ImportResult): Promise<void> {
    const { workspaceId, projectId, input } = claim.job;
    const documents = input.purpose === "revision" ? [] : firstDocuments(assembly);
    await transaction(this.pool, async (sql) => {
      if (!(await holdJob(sql, claim))) throw new LostError();
      // A revision waits to be looked at; a first file is put in place at once.
      if (input.purpose !== "revision") {
        const revision = {
          fileName: input.fileName,
          sourceSha256: input.sourceSha256,
          packageSha256,
          settings,
          identities: {},
        };
        await attachFirst(sql, { workspaceId }, projectId, revision, documents);
      }
      await endJob(sql, claim, "done", {
        result: { nodes: assembly.nodes.length, warnings: assembly.warnings, packageSha256 },
      });
    });
  }
}
