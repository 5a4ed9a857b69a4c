import { hand } from "../../core/document/sequence";
import type { Desk } from "../desk";

/** Lets go of whatever is selected, pointed at or being made and is no longer there, after an edit or an undo. */
export function tidyFocus(desk: Desk): void {
  const { focus } = desk.state;
  const { steps, stepOrder } = desk.sequence;
  const first = stepOrder[0] ?? "";
  if (focus.kind === "step" && !steps[focus.id]) desk.set({ focus: { kind: "step", id: first } });
  const { group, joint } = desk.state;
  if (group !== null && !desk.state.preparation.body.groups[group]) desk.set({ group: null, selection: [] });
  if (joint !== null && !desk.state.preparation.body.joints[joint]) desk.set({ joint: null });
  if (desk.state.focus.kind === "parts" && desk.state.selection.length === 0 && desk.state.group === null) desk.set({ focus: { kind: "step", id: first } });
  if (desk.state.draft && !steps[desk.state.draft.step]) desk.set({ draft: null });
  if (focus.kind === "move" && !steps[focus.ref.step]?.moves[focus.ref.move]) desk.set({ focus: { kind: "step", id: steps[focus.ref.step] ? focus.ref.step : first } });
  const pins = desk.state.pins.filter((p) => hand(steps[p.step]?.moves[p.move])?.keys[p.key]);
  if (pins.length < desk.state.pins.length) desk.set({ pins });
  const points = desk.state.points.filter((p) => p.channel in (hand(steps[p.step]?.moves[p.move])?.keys[p.key]?.values ?? {}));
  if (points.length < desk.state.points.length) desk.set({ points });
  if (desk.state.focus.kind === "curve" && points.length === 0) desk.set({ focus: { kind: "step", id: desk.stepAtPlayhead()?.id ?? first } });
  const marked = desk.state.marked.filter((m) => steps[m.step]?.moves[m.move]);
  if (marked.length < desk.state.marked.length) desk.set({ marked });
  if (focus.kind === "key" && !hand(steps[focus.ref.step]?.moves[focus.ref.move])?.keys[focus.ref.key])
    desk.set({ focus: desk.state.selection.length > 0 ? { kind: "parts" } : { kind: "step", id: first } });
}
