import { Refusal } from "../../core/text/refusal";
import { json } from "../api";

export interface JobAnswer {
  state: "waiting" | "running" | "done" | "failed" | "cancelled";
  stage: string;
  share: number | null;
  error: string | null;
}

export const STAGES = ["upload", "read", "mesh", "store"] as const;
export type StageName = (typeof STAGES)[number];

/**
 * Watches a reading job to its end. Aborting asks the server to stop it. @throws DOMException when cancelled, Error
 * with the reason when it failed
 */
export async function followJob(
  job: string,
  signal: AbortSignal,
  show: (stage: StageName, share: number | null) => void,
): Promise<void> {
  for (;;) {
    if (signal.aborted) {
      void json(`/api/jobs/${job}`, { method: "DELETE" }).catch(() => {});
      throw new DOMException("cancelled", "AbortError");
    }
    const j = await json<JobAnswer>(`/api/jobs/${job}`);
    if (j.state === "done") return;
    if (j.state === "failed") throw new Refusal("reading-failed", { why: j.error ?? "The file could not be read." });
    if (j.state === "cancelled") throw new DOMException("cancelled", "AbortError");
    show((STAGES as readonly string[]).includes(j.stage) ? (j.stage as StageName) : "read", j.share);
    await new Promise((r) => setTimeout(r, 250));
  }
}
