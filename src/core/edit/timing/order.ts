import type { Sequence } from "../../document/sequence";
import type { Ease } from "../../ease/ease";
import { Refusal } from "../../text/refusal";
import type { SequenceCommand } from "../sequenceCommands";
import {
  type ActionStart,
  distinct,
  itemSpan,
  keyOfItem,
  moveOfItem,
  retimed,
  type TimeItem,
  takePlaces,
} from "./items";
import { keepJoined } from "./joined";

interface Placed {
  item: TimeItem;
  /** Ticks in the sequence. */
  t0: number;
  t1: number;
}

/** Items in the order in which they begin; those that begin together in the order in which they were selected. */
function inOrder(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): Placed[] {
  const list = distinct(items).map((item) => {
    const span = itemSpan(sequence, item);
    return { item, t0: span.t0 + start(item.step), t1: span.t1 + start(item.step) };
  });
  if (list.length < 2) throw new Refusal("order-two");
  return list.sort((a, b) => a.t0 - b.t0);
}

function shiftEach(placed: readonly Placed[], by: (p: Placed, at: number) => number): SequenceCommand {
  const list = placed.map((p) => p.item);
  return (draft) => {
    keepJoined(draft, list, () => {
      placed.forEach((p, i) => {
        const shift = by(p, i);
        retimed(
          draft,
          p.item,
          (t) => t + shift,
          (l) => l,
        );
      });
    });
    takePlaces(draft, list);
  };
}

/**
 * One directly after another: the first stays, each other begins where the one before it ends.
 * @throws Refusal for fewer than two
 */
export function inTurn(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): SequenceCommand {
  const list = inOrder(sequence, items, start);
  let end = list[0]?.t0 ?? 0;
  const starts = list.map((p) => {
    const at = end;
    end += p.t1 - p.t0;
    return at;
  });
  return shiftEach(list, (p, i) => (starts[i] ?? p.t0) - p.t0);
}

/**
 * Each begins so much later than the one before it; the first stays.
 * @param each ticks, not negative @throws Refusal for fewer than two
 */
export function eachLater(
  sequence: Sequence,
  items: readonly TimeItem[],
  each: number,
  start: ActionStart,
): SequenceCommand {
  const list = inOrder(sequence, items, start);
  const first = list[0]?.t0 ?? 0;
  return shiftEach(list, (p, i) => first + i * each - p.t0);
}

/** How much later each begins than the one before, where that is the same for all; null where it differs. */
export function laterEach(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): number | null {
  if (distinct(items).length < 2) return null;
  const list = inOrder(sequence, items, start);
  const gaps = new Set(list.slice(1).map((p, i) => Math.round(p.t0 - (list[i]?.t0 ?? 0))));
  const [gap] = gaps;
  return gaps.size === 1 && gap !== undefined ? gap : null;
}

/** Gives arrivals and moves one ease; an arrival's channels lose shapes of their own. */
export function setEases(items: readonly TimeItem[], ease: Ease): SequenceCommand {
  return (draft) => {
    for (const item of distinct(items)) {
      const move = moveOfItem(draft, item);
      if (item.key !== undefined) {
        const key = keyOfItem(draft, item);
        key.ease = ease;
        delete key.shapes;
      } else if (move.kind === "hand") {
        for (const key of Object.values(move.keys)) {
          key.ease = ease;
          delete key.shapes;
        }
      } else move.ease = ease;
    }
  };
}

/** The ease of items where all have the same; null where they differ. */
export function easeOfItems(sequence: Sequence, items: readonly TimeItem[]): Ease | null {
  const eases = distinct(items).flatMap((item) => {
    const move = moveOfItem(sequence, item);
    if (item.key !== undefined) return [keyOfItem(sequence, item).ease];
    return move.kind === "hand" ? Object.values(move.keys).map((k) => k.ease) : [move.ease];
  });
  const [first] = eases;
  return first && eases.every((e) => JSON.stringify(e) === JSON.stringify(first)) ? first : null;
}
