import { removeKey } from "../../core/edit/sequenceCommands";
import type { Desk } from "../port";
import { removePoints } from "./curveActions";
import { removeMarked } from "./moveActions";
import { removeSoundAct } from "./soundActs";
import { removeTimed } from "./timingActions";

/** Removes the arrivals, moves or points that are selected. */
export function removeFocused(desk: Desk): void {
  const { focus, selected } = desk.state;
  if (selected.kind === "points") removePoints(desk);
  else if (selected.kind === "sound") removeSoundAct(desk, selected.id);
  else if (selected.kind !== "time" || typeof selected.shown === "object") return;
  else if (selected.pins.length + selected.moves.length > 1) removeTimed(desk);
  else if (focus.kind === "move") removeMarked(desk);
  else if (focus.kind === "key") desk.edit("Remove arrival", removeKey(focus.ref.step, focus.ref.move, focus.ref.key));
}
