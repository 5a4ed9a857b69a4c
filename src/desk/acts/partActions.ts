import { cadFinish } from "../../core/assembly/cadFinish";
import { type Likeness, similarParts } from "../../core/assembly/finding";
import { copyKey } from "../../core/assembly/prepared";
import type { PartTarget } from "../../core/document/parts";
import type { Finish } from "../../core/document/surroundings";
import { freshId } from "../../core/edit/id";
import {
  addCopy,
  addToGroup,
  adjustFinishes,
  dissolveGroup,
  isolate,
  leaveGroup,
  makeGroup,
  removeCopy,
  renameNode,
  setFinish,
  setFlag,
  showAll,
  updateGroup,
} from "../../core/edit/preparationCommands";
import { nth } from "../../core/math/packed";
import { nameOf, targetName } from "../names";
import type { Desk } from "../port";
import { select, selectedKeys, selectGroup, targetOf } from "../selection/selecting";

/** The selection in words: a name, or how many. */
export function selectionName(desk: Desk): string {
  const { group, selection } = desk.state;
  if (group !== null) return targetName(desk, { type: "group", id: group });
  return selection.length === 1 ? nameOf(desk, nth(selection, 0)) : `${selection.length} parts`;
}

/** True when all of the selection has a flag. */
export function allHave(desk: Desk, flag: "hidden" | "locked" | "ghost"): boolean {
  const { nodes, groups } = desk.state.preparation.body;
  const { group } = desk.state;
  if (flag === "locked" && group !== null) return groups[group]?.locked === true;
  const keys = selectedKeys(desk);
  return keys.length > 0 && keys.every((k) => nodes[k]?.[flag]);
}

const FLAG_WORDS = {
  hidden: ["Hide", "Show"],
  locked: ["Lock", "Unlock"],
  ghost: ["See through", "Make solid"],
} as const;

/** Hides, locks or ghosts the selection, or takes that back when all of it is so already. */
export function toggleFlag(desk: Desk, flag: "hidden" | "locked" | "ghost"): void {
  const on = !allHave(desk, flag);
  const { group } = desk.state;
  const label = `${FLAG_WORDS[flag][on ? 0 : 1]} ${selectionName(desk)}`;
  if (flag === "locked" && group !== null) desk.prepare(label, updateGroup(group, { locked: on }));
  else desk.prepare(label, setFlag(selectedKeys(desk), flag, on));
}

/** The copy that is selected, or undefined. */
function selectedCopy(desk: Desk) {
  const target = targetOf(desk);
  return target?.type === "node"
    ? Object.values(desk.state.preparation.body.copies).find((c) => copyKey(c.of, c.id) === target.key)
    : undefined;
}
export const isCopy = (desk: Desk) => selectedCopy(desk) !== undefined;

/** Makes a second one of the selected part. It is not to be seen until a move brings it up. */
export function copyPart(desk: Desk): void {
  const target = targetOf(desk);
  if (target?.type !== "node") return;
  const name = targetName(desk, target);
  const taken = new Set(desk.index.assembly.nodes.map((n) => n.name));
  let fresh = `${name}, copy`;
  for (let i = 2; taken.has(fresh); i++) fresh = `${name}, copy ${i}`;
  const id = freshId();
  if (!desk.prepare(`Copy ${name}`, addCopy(id, target.key, fresh))) return;
  const node = desk.index.indexOf.get(copyKey(target.key, id));
  if (node !== undefined) select(desk, [node]);
  desk.notify("info", `"${fresh}" is in the tree beside it. It is not seen until a move lets it appear.`);
}

export function removeCopyOf(desk: Desk): void {
  const copy = selectedCopy(desk);
  if (copy) desk.prepare(`Remove "${copy.name}"`, removeCopy(copy.id));
}

export function onlyThese(desk: Desk): void {
  if (desk.state.selection.length > 0)
    desk.prepare(`Show only ${selectionName(desk)}`, isolate(desk.index, desk.state.selection));
}
export function everything(desk: Desk): void {
  desk.prepare("Show everything", showAll());
}

/** Groups the selected parts and asks for the group's name. */
export function groupSelection(desk: Desk): void {
  const keys = selectedKeys(desk);
  if (keys.length === 0) {
    desk.notify("problem", "Select the parts that the group shall hold.");
    return;
  }
  const taken = new Set(Object.values(desk.state.preparation.body.groups).map((g) => g.name));
  let name = "Group 1";
  for (let i = 2; taken.has(name); i++) name = `Group ${i}`;
  const id = freshId();
  if (!desk.prepare(`Group ${selectionName(desk)}`, makeGroup(id, name, keys))) return;
  selectGroup(desk, id);
  desk.set({ renaming: { type: "group", id } });
}

export function joinGroup(desk: Desk, id: string, keys: readonly string[]): void {
  desk.prepare(`Put into ${targetName(desk, { type: "group", id })}`, addToGroup(id, keys));
}
export function leaveGroups(desk: Desk, keys: readonly string[]): void {
  desk.prepare("Take out of the group", leaveGroup(keys));
}
export function dissolve(desk: Desk): void {
  const { group } = desk.state;
  if (group === null) return;
  const members = desk.state.selection;
  if (desk.prepare(`Dissolve ${selectionName(desk)}`, dissolveGroup(group))) select(desk, members);
}

/** Starts typing a name for the selected part or group. */
export function beginRename(desk: Desk): void {
  const target = targetOf(desk);
  if (target) desk.set({ renaming: target });
}

/** Takes a typed name; "" gives a part its CAD name back. */
export function rename(desk: Desk, target: PartTarget, text: string): void {
  const name = text.trim();
  desk.set({ renaming: null });
  const before = targetName(desk, target);
  if (name === before) return;
  if (target.type === "group") {
    if (name) desk.prepare(`Rename ${before}`, updateGroup(target.id, { name }));
    return;
  }
  const cad = desk.index.assembly.nodes[desk.index.indexOf.get(target.key) ?? -1]?.name ?? "";
  desk.prepare(`Rename ${before}`, renameNode(target.key, name, cad));
}

export function selectSimilar(desk: Desk, by: Likeness): void {
  const { selection } = desk.state;
  if (selection.length > 0) select(desk, similarParts(desk.index, desk.state.preparation.body, selection, by));
}

/** Parts with a shape at or below the selected nodes, by key: what a finish is given to. */
export function shapesOfSelection(desk: Desk): string[] {
  const out = new Set<string>();
  for (const n of desk.state.selection) {
    for (let i = n; i < (desk.index.end[n] ?? 0); i++) {
      const node = desk.index.assembly.nodes[i];
      if (node && node.geometry >= 0) out.add(node.key);
    }
  }
  return [...out];
}

/** Gives the selected parts a finish; null puts the CAD finish back. */
export function giveFinish(desk: Desk, finish: Finish | null, merge: string | null = null): void {
  const keys = shapesOfSelection(desk);
  if (keys.length > 0)
    desk.prepare(
      finish ? `Finish of ${selectionName(desk)}` : `CAD finish of ${selectionName(desk)}`,
      setFinish(keys, finish),
      merge,
    );
}

/** Changes some numbers of the selected parts' finishes, each starting from its own. */
export function adjustFinish(desk: Desk, change: Partial<Finish>): void {
  const keys = shapesOfSelection(desk);
  const label = `Finish of ${selectionName(desk)}`;
  desk.prepare(
    label,
    adjustFinishes(keys, change, (key) =>
      cadFinish(desk.index.assembly.nodes[desk.index.indexOf.get(key) ?? -1]?.color ?? null),
    ),
    `${label} ${Object.keys(change).join()} ${keys[0]}`,
  );
}

let copied: { finish: Finish | null; from: string } | null = null;

/** Remembers the finish of the selected part, to give it to others. */
export function copyFinish(desk: Desk): void {
  const key = shapesOfSelection(desk)[0];
  if (key === undefined) return;
  copied = { finish: desk.state.preparation.body.nodes[key]?.finish ?? null, from: selectionName(desk) };
  desk.notify("info", `The finish of ${copied.from} is copied. Select other parts and give it to them (Alt+V).`);
}
export function pasteFinish(desk: Desk): void {
  if (!copied) desk.notify("problem", "No finish is copied yet. Select a part and copy its finish first (Alt+C).");
  else giveFinish(desk, copied.finish);
}
