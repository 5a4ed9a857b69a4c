import type { Target } from "../core/document/sequence";
import type { Desk } from "./port";

/** The name of a node: as it is prepared, or from CAD. "" for none. */
export function nameOf(desk: Desk, node: number): string {
  const entry = desk.index.assembly.nodes[node];
  return entry ? (desk.state.preparation.body.nodes[entry.key]?.name ?? entry.name) : "";
}

/** The name of whatever can be moved; also of what is gone. */
export function targetName(desk: Desk, target: Target): string {
  if (target.type === "camera") return desk.sequence.cameras[target.id]?.name ?? "Camera";
  if (target.type === "look") return "Look";
  if (target.type === "picture") return "Live camera";
  const preparation = desk.state.preparation.body;
  if (target.type === "group") return preparation.groups[target.id]?.name ?? "A group that is gone";
  const node = desk.index.indexOf.get(target.key);
  return node === undefined
    ? (preparation.nodes[target.key]?.name ?? target.key.split("/").pop() ?? target.key)
    : nameOf(desk, node);
}

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
