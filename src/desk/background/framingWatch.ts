import { isStop } from "../../core/text/problem";
import type { Desk } from "../port";
import { endWatcher, filmOf, watcherFor } from "./filmWatch";
import { whenQuiet } from "./quiet";

const QUIET_MS = 1600;

/** Keeps the desk told whether what acts is in the picture; worked out in a worker. @returns a function that ends it */
export function watchFraming(desk: Desk): () => void {
  let asked: AbortController | null = null;
  const ended = whenQuiet(desk, QUIET_MS, () => {
    // What was asked for meanwhile is worth more than a late answer.
    asked?.abort();
    asked = null;
    if (!desk.state.aids.framing) {
      if (desk.state.framing || desk.state.abrupt) desk.set({ framing: null, abrupt: null });
      return;
    }
    asked = new AbortController();
    void look(desk, asked.signal);
  });
  return () => {
    ended();
    asked?.abort();
    endWatcher();
    desk.set({ framing: null, abrupt: null });
  };
}

async function look(desk: Desk, signal: AbortSignal): Promise<void> {
  const { client, films } = watcherFor(desk);
  try {
    const film = films.send(filmOf(desk));
    desk.set({ abrupt: await client.ask("abrupt", film, { signal }) });
    const steps = await client.ask("framing", films.send(filmOf(desk)), { signal });
    desk.set({ framing: Object.fromEntries(steps.map((s) => [s.step, s])) });
  } catch (error) {
    if (isStop(error)) return;
    // It is said where the result would stand, with the way to try again; what this browser remembers stays as it is.
    console.warn("The framing is not looked after:", error);
    desk.set({ aids: { ...desk.state.aids, framing: false } });
  }
}

/** The parts that stand before nodes between two times (ticks of the sequence). @throws Refusal, AbortError */
export async function findCovers(desk: Desk, nodes: readonly number[], t0: number, t1: number): Promise<number[]> {
  const { client, films } = watcherFor(desk);
  return client.ask("covers", { film: films.send(filmOf(desk)), nodes: [...nodes], t0, t1 });
}
