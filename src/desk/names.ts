import type { Target } from "../core/document/sequence";
import { nodeName, targetNameIn } from "../core/text/names";
import type { Desk } from "./port";

const named = (desk: Desk) => ({
  index: desk.index,
  preparation: desk.state.preparation.body,
  sequence: desk.sequence,
});

/** The name of a node: as it is prepared, or from CAD. "" for none. */
export const nameOf = (desk: Desk, node: number): string => nodeName(named(desk), node);

/** The name of whatever can be moved; also of what is gone. */
export const targetName = (desk: Desk, target: Target): string => targetNameIn(named(desk), target);

/** Nodes that a target moves: the part itself, or a group's members. */
export function nodesOf(desk: Desk, target: Target): number[] {
  const keys =
    target.type === "node"
      ? [target.key]
      : target.type === "group"
        ? (desk.state.preparation.body.groups[target.id]?.members ?? [])
        : [];
  return keys.map((k) => desk.index.indexOf.get(k) ?? -1).filter((i) => i >= 0);
}
