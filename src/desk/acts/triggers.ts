import type { PartTarget } from "../../core/document/parts";
import { freshId } from "../../core/edit/id";
import { removeTrigger, setTrigger, triggerOf } from "../../core/edit/triggerCommands";
import { actsOn } from "../../core/program/spans";
import type { Desk } from "../port";
import type { MoveRef } from "../selection/refs";

/** What a move acts on that can be clicked: the first part or group. */
export function clickable(desk: Desk, at: MoveRef): PartTarget | null {
  const move = desk.body().steps[at.step]?.moves[at.move];
  const found = move && actsOn(move, desk.sequence).find((t) => t.type === "node" || t.type === "group");
  return found?.type === "node" || found?.type === "group" ? found : null;
}

/** Lets a click on the page play a move, or no longer. */
export function switchTrigger(desk: Desk, at: MoveRef, on: boolean): void {
  const name = desk.body().steps[at.step]?.moves[at.move]?.name ?? "";
  const known = triggerOf(desk.body(), at.step, at.move);
  if (!on && known) desk.edit(`No click plays "${name}"`, removeTrigger(known.id));
  const target = clickable(desk, at);
  if (on && !known && target)
    desk.edit(`A click plays "${name}"`, setTrigger({ id: freshId(), ...at, on: target, key: null }));
}

/** Sets the key that plays a move on the page; null for none. @returns whether it was taken */
export function setTriggerKey(desk: Desk, at: MoveRef, key: string | null): boolean {
  const known = triggerOf(desk.body(), at.step, at.move);
  const name = desk.body().steps[at.step]?.moves[at.move]?.name ?? "";
  return known !== undefined && desk.edit(`Key for "${name}"`, setTrigger({ ...known, key }));
}
