import type { AnswerOf, ToldOf } from "../../workers/host";
import type { LoaderInput, LoaderWorker } from "../../workers/loader";
import { ApiError } from "../api";
import { askOnce, WorkerFault } from "./workerClient";

export type LoadedAssembly = AnswerOf<LoaderWorker, "load">;

const make = () => new Worker(new URL("../../workers/loader.ts", import.meta.url), { type: "module" });

/** What is told while an assembly is on its way. */
export type Arriving = ToldOf<LoaderWorker, "load">;

/**
 * Fetches a project's present package and builds its picking trees in a worker.
 * @param showsAfterMs after so long what has come is told as well, to be shown; null: never @throws ApiError, Refusal, AbortError
 */
export const loadAssembly = (
  projectId: string,
  signal: AbortSignal | null,
  tell: (arriving: Arriving) => void,
  showsAfterMs: number | null = null,
): Promise<LoadedAssembly> => load({ url: `/api/projects/${projectId}/package?as=wire`, showsAfterMs }, signal, tell);

/** The same for the package of a round. */
export const loadRound = (round: string, signal: AbortSignal): Promise<LoadedAssembly> =>
  load({ url: `/api/rounds/${round}/package?as=wire`, showsAfterMs: null }, signal, () => {});

async function load(
  input: LoaderInput,
  signal: AbortSignal | null,
  tell: (arriving: Arriving) => void,
): Promise<LoadedAssembly> {
  try {
    return await askOnce<LoaderWorker, "load">(make, "load", input, {
      signal: signal ?? undefined,
      tell,
    });
  } catch (error) {
    // Who waits for it looks at the status.
    if (error instanceof WorkerFault && error.status !== undefined)
      throw new ApiError(error.status, error.message, null);
    throw error;
  }
}
