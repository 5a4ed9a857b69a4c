import { nth } from "../../core/math/packed";
import { isStop } from "../../core/text/problem";
import type { ProofWorker } from "../../workers/proof";
import type { Desk } from "../port";
import type { DeskState } from "../state";
import { FilmSender } from "./filmSender";
import { filmOf } from "./filmWatch";
import { whenQuiet } from "./quiet";
import { WorkerClient } from "./workerClient";

const QUIET_MS = 1200;

/**
 * Keeps the desk told what the proof finds, once it has been quiet for a moment: in a worker of its own, which stops
 * as soon as something is dragged or played. @returns a function that ends it
 */
export function watchProof(desk: Desk): () => void {
  let client: { it: WorkerClient<ProofWorker>; films: FilmSender; of: Desk["pkg"] } | null = null;
  let asked: AbortController | null = null;
  const clientNow = () => {
    if (client?.of === desk.pkg) return client;
    client?.it.end();
    const it = new WorkerClient<ProofWorker>(
      () =>
        typeof Worker === "undefined"
          ? null
          : new Worker(new URL("../../workers/proof.ts", import.meta.url), { type: "module" }),
      () => ({ name: "open", input: { bytes: desk.packageBytes, assembly: desk.pkg.assembly } }),
    );
    client = { it, films: new FilmSender(it), of: desk.pkg };
    return client;
  };
  const wanted = (s: DeskState) => s.aids.proof || s.proofing.open;
  const stop = () => {
    asked?.abort();
    asked = null;
    if (desk.state.proofShare !== null) desk.set({ proofShare: null });
  };
  const look = async () => {
    stop();
    if (!wanted(desk.state)) return;
    const film = filmOf(desk);
    if (desk.state.proof?.film === film.name) return;
    const abort = new AbortController();
    asked = abort;
    desk.set({ proofShare: 0 });
    const { ids, start } = desk.program.steps;
    const starts = Object.fromEntries(ids.map((id, i) => [id, nth(start, i)]));
    try {
      const { it, films } = clientNow();
      const proof = await it.ask("prove", films.send(film), {
        signal: abort.signal,
        tell: (share) => asked === abort && desk.set({ proofShare: share }),
      });
      if (asked === abort) desk.set({ proof: { ...proof, film: film.name, starts }, proofShare: null });
    } catch (error) {
      if (isStop(error)) return;
      // It is said where the result would stand, with the way to try again.
      console.warn("The proof could not look:", error);
      desk.set({ aids: { ...desk.state.aids, proof: false }, proofShare: null });
    }
  };
  const quiet = whenQuiet(desk, QUIET_MS, () => void look());
  const watching = desk.store.subscribe((now, before) => {
    // Playing and dragging have all of the machine; what was found in whole steps is remembered.
    if ((now.playing && !before.playing) || (now.draft && !before.draft)) stop();
    if (now.programVersion !== before.programVersion && asked) stop();
    if (now.sequenceId !== before.sequenceId && now.proof) desk.set({ proof: null });
    if (now.proofing.open && !before.proofing.open && asked === null) void look();
  });
  return () => {
    quiet();
    watching();
    asked?.abort();
    client?.it.end();
    desk.set({ proof: null, proofShare: null });
  };
}
