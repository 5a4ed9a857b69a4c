import type { AnswerOf } from "../../workers/host";
import type { LoaderWorker } from "../../workers/loader";
import { ApiError } from "../api";
import { askOnce, WorkerFault } from "./workerClient";

export type LoadedAssembly = AnswerOf<LoaderWorker, "load">;

const make = () => new Worker(new URL("../../workers/loader.ts", import.meta.url), { type: "module" });

/**
 * Fetches a project's present package and builds its picking trees in a worker. @throws ApiError, Refusal, AbortError
 */
export async function loadAssembly(
  projectId: string,
  signal: AbortSignal | null,
  onProgress: (text: string, share: number | null) => void,
): Promise<LoadedAssembly> {
  try {
    return await askOnce<LoaderWorker, "load">(make, "load", `/api/projects/${projectId}/package`, {
      signal: signal ?? undefined,
      tell: ({ stage, share }) =>
        onProgress(stage === "download" ? "Loading the assembly" : "Preparing the assembly", share),
    });
  } catch (error) {
    // Who waits for it looks at the status.
    if (error instanceof WorkerFault && error.status !== undefined)
      throw new ApiError(error.status, error.message, null);
    throw error;
  }
}
