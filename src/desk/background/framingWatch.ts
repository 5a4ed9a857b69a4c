import type { FramingAnswer, FramingRequest } from "../../workers/framing";
import type { Desk } from "../desk";
import { whenQuiet } from "./quiet";

const QUIET_MS = 1600;

let shared: { worker: Worker; of: Desk["pkg"] } | null = null;

/** One worker for the open assembly; null where the browser has none. */
function workerFor(desk: Desk): Worker | null {
  if (typeof Worker === "undefined") return null;
  if (shared?.of === desk.pkg) return shared.worker;
  shared?.worker.terminate();
  const worker = new Worker(new URL("../../workers/framing.ts", import.meta.url), { type: "module" });
  worker.postMessage({ type: "open", bytes: desk.packageBytes, assembly: desk.pkg.assembly } satisfies FramingRequest);
  shared = { worker, of: desk.pkg };
  return worker;
}

/** Keeps the desk told whether what acts is in the picture; worked out in a worker. @returns a function that ends it */
export function watchFraming(desk: Desk): () => void {
  let turn = 0;
  let listened: Worker | null = null;
  const ended = whenQuiet(desk, QUIET_MS, () => {
    if (!desk.state.aids.framing) return;
    const worker = workerFor(desk);
    if (!worker) return;
    if (worker !== listened) {
      listened = worker;
      worker.addEventListener("message", ({ data }: MessageEvent<FramingAnswer>) => {
        // What was asked for meanwhile is worth more than a late answer.
        if (data.type === "abrupt" && data.turn === turn) desk.set({ abrupt: data.places });
        if (data.type === "framing" && data.turn === turn) desk.set({ framing: Object.fromEntries(data.steps.map((s) => [s.step, s])) });
      });
    }
    worker.postMessage({ type: "check", turn: ++turn, preparation: desk.state.preparation.body, sequence: desk.body() } satisfies FramingRequest);
  });
  return () => {
    ended();
    turn++;
    shared?.worker.terminate();
    shared = null;
    desk.set({ framing: null, abrupt: null });
  };
}

/** The parts that stand before nodes between two times (ticks of the sequence), as the sequence is shown now. */
export function findCovers(desk: Desk, nodes: readonly number[], t0: number, t1: number): Promise<number[]> {
  const worker = workerFor(desk);
  if (!worker) return Promise.reject(new Error("This browser cannot look for what covers a part."));
  return new Promise((resolve, reject) => {
    const take = ({ data }: MessageEvent<FramingAnswer>) => {
      if (data.type !== "covers" && data.type !== "failed") return;
      worker.removeEventListener("message", take);
      if (data.type === "covers") resolve(data.nodes);
      else reject(new Error(data.message));
    };
    worker.addEventListener("message", take);
    worker.postMessage({ type: "covers", preparation: desk.state.preparation.body, sequence: desk.sequence, nodes: [...nodes], t0, t1 } satisfies FramingRequest);
  });
}
