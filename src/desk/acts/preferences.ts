import type { Desk } from "../port";
import { rememberAids } from "../remembered/aidsStore";
import { type Arriving, rememberArriving } from "../remembered/arrivingStore";
import { rememberBelow } from "../remembered/timingStore";
import type { Aids, DeskState } from "../state";

/** Changes what helps at the desk, and remembers it. */
export function setAids(desk: Desk, change: Partial<Aids>): void {
  const aids = { ...desk.state.aids, ...change };
  desk.set({ aids });
  rememberAids(aids);
}

/** Changes how what is kept next arrives, and remembers it for this sequence. */
export function setArriving(desk: Desk, change: Partial<Arriving>): void {
  const arriving = { ...desk.state.arriving, ...change };
  desk.set({ arriving });
  rememberArriving(desk.state.sequenceId, arriving);
}

/** Shows lanes or curves below the stage, and remembers it. */
export function showBelow(desk: Desk, below: DeskState["below"]): void {
  desk.set({ below });
  rememberBelow(below);
}
