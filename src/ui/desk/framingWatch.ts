import type { FramingAnswer, FramingRequest } from "../../workers/framing";
import type { Desk } from "./desk";
import { whenQuiet } from "./quiet";

const QUIET_MS = 1600;

/** Keeps the desk told whether what acts is in the picture; worked out in a worker. @returns a function that ends it */
export function watchFraming(desk: Desk): () => void {
  let worker: Worker | null = null;
  let turn = 0;
  const ended = whenQuiet(desk, QUIET_MS, () => {
    if (typeof Worker === "undefined") return;
    if (!worker) {
      worker = new Worker(new URL("../../workers/framing.ts", import.meta.url), { type: "module" });
      worker.postMessage({ type: "open", bytes: desk.packageBytes, assembly: desk.pkg.assembly } satisfies FramingRequest);
      worker.onmessage = ({ data }: MessageEvent<FramingAnswer>) => {
        // What was asked for meanwhile is worth more than a late answer.
        if (data.type === "framing" && data.turn === turn) desk.set({ framing: Object.fromEntries(data.steps.map((s) => [s.step, s])) });
      };
    }
    worker.postMessage({ type: "check", turn: ++turn, preparation: desk.state.preparation.body, sequence: desk.body() } satisfies FramingRequest);
  });
  return () => {
    ended();
    worker?.terminate();
    desk.set({ framing: null });
  };
}
