import { type HandMove, hand, type Key, type Move, type Sequence, type Step } from "../../document/sequence";
import { type Span, spanOf } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { TICKS_PER_SECOND } from "../../time/time";
import { dropChannel, isEmpty } from "../arrival";
import type { SequenceCommand } from "../sequenceCommands";
import { mapKeyTimes, mapMoveTimes } from "../traverse";
import { keepJoined } from "./joined";

/** Something in time that can be selected: an arrival of a hand-keyed move, or a whole move. */
export interface TimeItem {
  step: string;
  move: string;
  /** The arrival; absent for the move as a whole. */
  key?: string;
}

/** Where steps' actions begin, ticks in the sequence; for what looks across steps. */
export type ActionStart = (step: string) => number;

/** Longest time a step may be edited to by hand: an hour. */
export const HOUR = 3600 * TICKS_PER_SECOND;

export const itemId = (item: TimeItem): string => `${item.step} ${item.move} ${item.key ?? ""}`;

const stepOf = (draft: Sequence, id: string): Step => {
  const found = draft.steps[id];
  if (!found) throw new Refusal("gone", { what: "step" });
  return found;
};

/** The move an item is or belongs to. @throws Refusal when it is gone */
export function moveOfItem(draft: Sequence, item: TimeItem): Move {
  const move = stepOf(draft, item.step).moves[item.move];
  if (!move) throw new Refusal("gone", { what: "move" });
  return move;
}

/** The arrival an item is. @throws Refusal when it is gone */
export function keyOfItem(draft: Sequence, item: TimeItem): Key {
  const key = hand(moveOfItem(draft, item))?.keys[item.key ?? ""];
  if (!key) throw new Refusal("gone", { what: "arrival" });
  return key;
}

/** When the arrival before one in its move is, or 0: where a lead from "the arrival before" begins. */
export function arrivalBefore(move: Move, key: Key): number {
  let before = 0;
  for (const k of Object.values(hand(move)?.keys ?? {})) if (k.at < key.at) before = Math.max(before, k.at);
  return before;
}

/** The time an item takes, ticks in its step's action. */
export function itemSpan(sequence: Sequence, item: TimeItem): Span {
  const move = moveOfItem(sequence, item);
  if (item.key === undefined) return spanOf(move, sequence);
  const key = keyOfItem(sequence, item);
  return { t0: key.lead === "previous" ? arrivalBefore(move, key) : Math.max(0, key.at - key.lead), t1: key.at };
}

/** The time from the first beginning to the last end of items, ticks in the sequence. @throws Refusal for none */
export function spanOfItems(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): Span {
  if (items.length === 0) throw new Refusal("nothing-timed-selected");
  const spans = items.map((i) => ({ ...itemSpan(sequence, i), shift: start(i.step) }));
  return { t0: Math.min(...spans.map((s) => s.t0 + s.shift)), t1: Math.max(...spans.map((s) => s.t1 + s.shift)) };
}

/** The items of a list that stand by themselves: an arrival whose whole move is listed too is left out. */
export function distinct(items: readonly TimeItem[]): TimeItem[] {
  const moves = new Set(items.filter((i) => i.key === undefined).map((i) => `${i.step} ${i.move}`));
  const seen = new Set<string>();
  return items.filter((i) => {
    const id = itemId(i);
    if (seen.has(id) || (i.key !== undefined && moves.has(`${i.step} ${i.move}`))) return false;
    seen.add(id);
    return true;
  });
}

/** Every time of an item taken through a function, as ticks in the action; lengths through another. */
export function retimed(
  draft: Sequence,
  item: TimeItem,
  at: (t: number) => number,
  length: (t: number) => number,
): void {
  const move = moveOfItem(draft, item);
  const moment = (t: number) => inRange(at(t));
  const span = (t: number) => inRange(length(t));
  if (item.key !== undefined) mapKeyTimes(keyOfItem(draft, item), moment, span);
  else mapMoveTimes(move, moment, span);
}

/** A time as whole ticks. @throws Refusal when it lies before the step's action, beyond an hour, or is not a number */
export function inRange(ticks: number): number {
  if (!Number.isFinite(ticks)) throw new Refusal("not-a-time");
  const t = Math.round(ticks);
  if (t < 0) throw new Refusal("before-action");
  if (t > HOUR) throw new Refusal("beyond-an-hour");
  return t;
}

/** The largest shift to the left that keeps all items inside their steps, as a negative number of ticks. */
export function roomBefore(sequence: Sequence, items: readonly TimeItem[]): number {
  let room = Number.POSITIVE_INFINITY;
  for (const item of items) {
    const move = moveOfItem(sequence, item);
    if (item.key !== undefined) room = Math.min(room, keyOfItem(sequence, item).at);
    else if (move.kind === "hand") for (const k of Object.values(move.keys)) room = Math.min(room, k.at);
    else room = Math.min(room, move.start);
  }
  return room === Number.POSITIVE_INFINITY ? 0 : -room;
}

/**
 * How a shift treats what lies around: "alone" moves only what is selected, and an arrival that lands on another of
 * the same thing takes its place; "along" moves everything later in the same steps too.
 */
export type ShiftWay = "alone" | "along";

/**
 * The items that a shift moves: those given, and with "along" all that begins with the first of them or later in
 * their steps.
 */
export function shiftedWith(sequence: Sequence, items: readonly TimeItem[], way: ShiftWay): TimeItem[] {
  const own = distinct(items);
  if (way === "alone") return own;
  const out = [...own];
  for (const step of new Set(own.map((i) => i.step))) {
    const from = Math.min(
      ...own
        .filter((i) => i.step === step)
        .map((i) => (i.key === undefined ? itemSpan(sequence, i).t0 : keyOfItem(sequence, i).at)),
    );
    for (const move of Object.values(stepOf(sequence, step).moves)) {
      if (move.kind === "hand") {
        for (const k of Object.values(move.keys)) if (k.at >= from) out.push({ step, move: move.id, key: k.id });
      } else if (move.start >= from) out.push({ step, move: move.id });
    }
  }
  return distinct(out);
}

/**
 * Shifts items in time. With "alone", what ran into one of them or out of it still does.
 * @throws Refusal where one would leave its step
 */
export function shiftItems(sequence: Sequence, items: readonly TimeItem[], by: number, way: ShiftWay): SequenceCommand {
  const list = shiftedWith(sequence, items, way);
  return (draft) => {
    const shift = () => {
      for (const item of list)
        retimed(
          draft,
          item,
          (t) => t + by,
          (l) => l,
        );
    };
    if (way === "along") {
      shift();
      return;
    }
    keepJoined(draft, list, shift);
    takePlaces(draft, list);
  };
}

/** Arrivals that were moved onto others of the same move take their channels over. */
export function takePlaces(draft: Sequence, items: readonly TimeItem[]): void {
  const moved = new Set(items.flatMap((i) => i.key ?? []));
  // By move and time, so that many are looked through once.
  const staying = new Map<string, Map<number, Key[]>>();
  const at = (item: TimeItem, move: HandMove, time: number): Key[] => {
    const id = `${item.step} ${item.move}`;
    let byTime = staying.get(id);
    if (!byTime) {
      byTime = new Map();
      for (const key of Object.values(move.keys))
        if (!moved.has(key.id)) byTime.set(key.at, [...(byTime.get(key.at) ?? []), key]);
      staying.set(id, byTime);
    }
    return byTime.get(time) ?? [];
  };
  for (const item of items) {
    if (item.key === undefined) continue;
    const move = hand(moveOfItem(draft, item));
    const own = move?.keys[item.key];
    if (!move || !own) continue;
    for (const other of at(item, move, own.at)) {
      for (const channel of Object.keys(own.values)) dropChannel(other, channel);
      if (own.orientation) delete other.orientation;
      if (isEmpty(other)) delete move.keys[other.id];
    }
  }
}

/** Removes an arrival that says nothing any longer, and its move with the last of them. */
export function tidy(draft: Sequence, step: string, moveId: string): void {
  const move = hand(draft.steps[step]?.moves[moveId]);
  if (!move) return;
  for (const key of Object.values(move.keys)) if (isEmpty(key)) delete move.keys[key.id];
  if (Object.keys(move.keys).length === 0) delete draft.steps[step]?.moves[moveId];
}

/** All items of a sequence, of a step, or of those moves that a test lets through. */
export function itemsOf(sequence: Sequence, wanted: (step: string, move: Move) => boolean = () => true): TimeItem[] {
  const out: TimeItem[] = [];
  for (const step of sequence.stepOrder) {
    for (const move of Object.values(sequence.steps[step]?.moves ?? {})) {
      if (!wanted(step, move)) continue;
      if (move.kind === "hand") for (const key of Object.keys(move.keys)) out.push({ step, move: move.id, key });
      else out.push({ step, move: move.id });
    }
  }
  return out;
}
