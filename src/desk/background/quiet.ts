import type { Desk } from "../port";

/**
 * Runs work once nothing that decides the film has changed for a while, not while it plays and not for a move that is
 * only being made. @returns a function that ends it
 */
export function whenQuiet(desk: Desk, quietMs: number, work: () => void): () => void {
  let before = desk.state;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const soon = () => {
    clearTimeout(timer);
    if (!desk.state.playing && !desk.state.draft) timer = setTimeout(work, quietMs);
  };
  const ended = desk.store.subscribe((now) => {
    const same =
      now.programVersion === before.programVersion &&
      now.preparation.body === before.preparation.body &&
      now.sequenceId === before.sequenceId &&
      now.playing === before.playing &&
      now.aids === before.aids;
    before = now;
    if (!same) soon();
  });
  soon();
  return () => {
    clearTimeout(timer);
    ended();
  };
}
