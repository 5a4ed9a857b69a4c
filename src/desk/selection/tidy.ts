import type { Desk } from "../port";
import { pruned } from "./selection";

/** Lets go of whatever is selected, pointed at or being made and is no longer there, after an edit or an undo. */
export function tidySelection(desk: Desk): void {
  const { draft, joint, preparation } = desk.state;
  if (joint !== null && !preparation.body.joints[joint]) desk.set({ joint: null });
  if (draft && !desk.sequence.steps[draft.step]) desk.set({ draft: null });
  desk.choose(pruned(desk.state.selected, desk.sequence, preparation.body, desk.here()));
}
