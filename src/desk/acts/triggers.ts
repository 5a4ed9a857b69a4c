import { targetId } from "../../core/document/keys";
import type { PartTarget } from "../../core/document/parts";
import { freshId } from "../../core/edit/id";
import { removeTrigger, setTrigger, triggerOf } from "../../core/edit/triggerCommands";
import { actsOn } from "../../core/program/spans";
import type { Desk } from "../port";

/** What is played: a move, or (null) all of a step. */
export interface PlayedRef {
  step: string;
  move: string | null;
}

/** What a move acts on that can be clicked: the first part or group. A step is played by its key and its button. */
export function clickable(desk: Desk, at: PlayedRef): PartTarget | null {
  const move = at.move === null ? undefined : desk.body().steps[at.step]?.moves[at.move];
  const found = move && actsOn(move, desk.sequence).find((t) => t.type === "node" || t.type === "group");
  return found?.type === "node" || found?.type === "group" ? found : null;
}

const nameOf = (desk: Desk, { step, move }: PlayedRef): string => {
  const of = desk.body().steps[step];
  return (move === null ? of?.title : of?.moves[move]?.name) ?? "";
};

/** Lets whoever reads the page play a move or a step, or no longer. */
export function switchTrigger(desk: Desk, at: PlayedRef, on: boolean): void {
  const known = triggerOf(desk.body(), at.step, at.move);
  if (!on && known) desk.edit(`"${nameOf(desk, at)}" is not played on the page`, removeTrigger(known.id));
  if (on && !known)
    desk.edit(
      `"${nameOf(desk, at)}" is played on the page`,
      setTrigger({ id: freshId(), ...at, on: clickable(desk, at), key: null }),
    );
}

/** Sets the key that plays it on the page; null for none. @returns whether it was taken */
export function setTriggerKey(desk: Desk, at: PlayedRef, key: string | null): boolean {
  const known = triggerOf(desk.body(), at.step, at.move);
  return known !== undefined && desk.edit(`Key for "${nameOf(desk, at)}"`, setTrigger({ ...known, key }));
}

/** Sets what is clicked to play it; null leaves its key and its button. @returns whether it was taken */
export function setTriggerPart(desk: Desk, at: PlayedRef, on: PartTarget | null): boolean {
  const known = triggerOf(desk.body(), at.step, at.move);
  return known !== undefined && desk.edit(`What is clicked for "${nameOf(desk, at)}"`, setTrigger({ ...known, on }));
}

/** Everything that can be clicked, by what it is written as: what the move acts on first, then groups, then parts. */
export function clickables(desk: Desk, at: PlayedRef): { name: string; target: PartTarget }[] {
  const move = at.move === null ? undefined : desk.body().steps[at.step]?.moves[at.move];
  const acted = (move ? actsOn(move, desk.sequence) : []).filter((t) => t.type === "node" || t.type === "group");
  const groups = Object.values(desk.state.preparation.body.groups).map((g) => ({ type: "group" as const, id: g.id }));
  const nodes = desk.index.assembly.nodes.map((n) => ({ type: "node" as const, key: n.key }));
  const seen = new Set<string>();
  return [...acted, ...groups, ...nodes].flatMap((target) => {
    const name = targetId(target);
    if (seen.has(name)) return [];
    seen.add(name);
    return [{ name, target: target as PartTarget }];
  });
}
