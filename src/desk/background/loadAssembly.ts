import type { LoaderMessage } from "../../workers/loader";
import { ApiError } from "../api";

export type LoadedAssembly = Pick<Extract<LoaderMessage, { type: "done" }>, "bytes" | "trees">;

/** Fetches a project's present package and builds its picking trees in a worker. */
export function loadAssembly(projectId: string, signal: AbortSignal | null, onProgress: (text: string, share: number | null) => void): Promise<LoadedAssembly> {
  const worker = new Worker(new URL("../../workers/loader.ts", import.meta.url), { type: "module" });
  return new Promise<LoadedAssembly>((resolve, reject) => {
    signal?.addEventListener("abort", () => reject(new DOMException("cancelled", "AbortError")));
    worker.onerror = () => reject(new Error("The assembly could not be prepared for drawing. Reload the page."));
    worker.onmessage = (event: MessageEvent<LoaderMessage>) => {
      const m = event.data;
      if (m.type === "progress") onProgress(m.stage === "download" ? "Loading the assembly" : "Preparing the assembly", m.share);
      else if (m.type === "done") resolve(m);
      else reject(new ApiError(m.status, m.message, null));
    };
    worker.postMessage({ url: `/api/projects/${projectId}/package` });
  }).finally(() => worker.terminate());
}
