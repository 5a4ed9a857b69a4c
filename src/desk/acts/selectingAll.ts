import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { selectAll } from "./timingActions";

/**
 * Selects everything of the kind that is selected: in time where something in time is, else every part that may be
 * seen.
 */
export function selectEverything(desk: Desk): void {
  const { pins, marked, points, focus } = desk.state;
  if (pins.length + marked.length + points.length > 0 || focus.kind === "key") {
    selectAll(desk);
    return;
  }
  const { nodes } = desk.index.assembly;
  const hidden = (i: number): boolean => {
    for (let n = i; n >= 0; n = nodes[n]?.parent ?? -1)
      if (desk.state.preparation.body.nodes[nodes[n]?.key ?? ""]?.hidden) return true;
    return false;
  };
  select(
    desk,
    nodes.flatMap((n, i) => (n.geometry >= 0 && !hidden(i) ? [i] : [])),
  );
}
