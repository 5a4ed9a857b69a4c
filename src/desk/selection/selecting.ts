import type { PartTarget } from "../../core/document/parts";
import { jointsOf } from "../../core/document/preparation";
import type { Target } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { nodesOf } from "../names";
import type { Desk } from "../port";
import { besides, NO_PARTS, type Parts, parts, type Selection } from "./selection";

/** Selects parts, each by itself; none of them shows the step again. */
export function select(desk: Desk, nodes: readonly number[]): void {
  take(desk, { nodes, group: null });
}

/** Selects a group as one thing. */
export function selectGroup(desk: Desk, id: string): void {
  take(desk, partsOf(desk, { type: "group", id }));
}

/** Selects parts and leaves in the details what is there. */
export function selectBeside(desk: Desk, nodes: readonly number[]): void {
  chooseParts(desk, { ...desk.state.selected, parts: { nodes, group: null } });
}

/** A target as parts that are selected; none for what is not made of parts. */
export function partsOf(desk: Desk, target: Target | undefined): Parts {
  if (target?.type !== "node" && target?.type !== "group") return NO_PARTS;
  return { nodes: nodesOf(desk, target), group: target.type === "group" ? target.id : null };
}

function take(desk: Desk, chosen: Parts): void {
  const none = chosen.nodes.length === 0 && chosen.group === null;
  chooseParts(desk, none ? besides(desk.state.selected, chosen, desk.here()) : parts(chosen, desk.here()));
}

/** The same as `choose` where parts come or go: with the first joint of what is now selected, and handles on it. */
export function chooseParts(desk: Desk, next: Selection): void {
  const was = desk.state.selected.parts;
  const same =
    next.parts.group === was.group &&
    next.parts.nodes.length === was.nodes.length &&
    next.parts.nodes.every((n, i) => n === was.nodes[i]);
  desk.choose(next, { renaming: null });
  if (!same) {
    const target = targetOf(desk);
    desk.set({ joint: target ? (jointsOf(desk.state.preparation.body, target)[0]?.id ?? null) : null });
  }
  desk.trackShown();
  desk.view?.setProgram(desk.program);
  desk.show();
}

/** What is selected as one thing that can move: a part, a sub-assembly or a group. null for none or several. */
export function targetOf(desk: Desk): PartTarget | null {
  const { group, selection } = desk.state;
  if (group !== null) return { type: "group", id: group };
  const only = selection.length === 1 ? desk.index.assembly.nodes[nth(selection, 0)] : undefined;
  return only ? { type: "node", key: only.key } : null;
}

/** Stable keys of the selected nodes. */
export function selectedKeys(desk: Desk): string[] {
  return desk.state.selection.flatMap((i) => desk.index.assembly.nodes[i]?.key ?? []);
}

/** Selects what owns the selection: its group first, then the sub-assembly above. */
export function climb(desk: Desk): void {
  const { preparation, group, selection } = desk.state;
  const key = selectedKeys(desk)[0];
  const owner =
    group === null && selection.length === 1
      ? Object.values(preparation.body.groups).find((g) => g.members.includes(key ?? ""))
      : undefined;
  if (owner) {
    selectGroup(desk, owner.id);
    return;
  }
  const above = new Set<number>();
  for (const i of selection) {
    const parent = desk.index.assembly.nodes[i]?.parent ?? -1;
    above.add(parent >= 0 ? parent : i);
  }
  if (above.size > 0) select(desk, [...above]);
}

/** Shows the gauge of a joint of the selected part. */
export function setJoint(desk: Desk, id: string | null): void {
  desk.set({ joint: id });
  desk.show();
}
