import { hand, type Key, type Sequence, targetId } from "../../document/sequence";
import { reversedEase } from "../../ease/ease";
import { nth } from "../../math/packed";
import type { Program } from "../../program/program";
import { spanOf } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { gather } from "../arrival";
import { freshId } from "../id";
import type { SequenceCommand } from "../sequenceCommands";
import {
  type ActionStart,
  arrivalBefore,
  distinct,
  inRange,
  itemSpan,
  keyOfItem,
  moveOfItem,
  retimed,
  type TimeItem,
  takePlaces,
} from "./items";
import { keepJoined } from "./joined";

/**
 * Scales the times of items about a moment.
 * @param pivot ticks in the sequence @param factor more than 0
 * @throws Refusal for a factor that is not positive, or where something would leave its step
 */
export function scaleItems(
  items: readonly TimeItem[],
  pivot: number,
  factor: number,
  start: ActionStart,
): SequenceCommand {
  if (!(factor > 0) || !Number.isFinite(factor)) throw new Refusal("scale-factor");
  return (draft) => {
    for (const item of distinct(items)) {
      const own = pivot - start(item.step);
      retimed(
        draft,
        item,
        (t) => own + (t - own) * factor,
        (l) => l * factor,
      );
    }
  };
}

/** Puts the start or the end of an item at a time (ticks in its action); the other end stays, so its length changes. */
export function setEnd(item: TimeItem, end: "start" | "end", at: number): SequenceCommand {
  return (draft) => {
    const t = inRange(at);
    const move = moveOfItem(draft, item);
    const span = itemSpan(draft, item);
    if (end === "start" ? t > span.t1 : t < span.t0) throw new Refusal("end-before-start");
    if (item.key !== undefined) {
      const key = keyOfItem(draft, item);
      if (end === "start") key.lead = key.at - t;
      else
        keepJoined(draft, [item], () => {
          if (key.lead !== "previous") key.lead = Math.max(0, t - span.t0);
          key.at = t;
        });
      return;
    }
    stretch(draft, item, end === "start" ? t : span.t0, end === "start" ? span.t1 : t);
    if (move.kind !== "hand" && move.kind === "back") move.settings.own = true;
  };
}

/** Makes a move act from one time to another, its inner times in proportion. */
function stretch(draft: Sequence, item: TimeItem, t0: number, t1: number): void {
  const before = itemSpan(draft, item);
  const old = before.t1 - before.t0;
  const factor = old > 0 ? (t1 - t0) / old : 1;
  const move = moveOfItem(draft, item);
  if (old === 0 && move.kind !== "hand") {
    move.start = t0;
    move.length = t1 - t0;
    return;
  }
  retimed(
    draft,
    item,
    (t) => t0 + (t - before.t0) * factor,
    (l) => l * factor,
  );
}

/**
 * Gives items a length each, ticks. A move's start stays; an arrival stays where it is, for its length is its lead: it
 * sets off earlier or later.
 */
export function setLengths(items: readonly TimeItem[], length: number): SequenceCommand {
  return (draft) => {
    const wanted = inRange(length);
    for (const item of distinct(items)) {
      const span = itemSpan(draft, item);
      if (item.key !== undefined) {
        keyOfItem(draft, item).lead = wanted;
      } else stretch(draft, item, span.t0, span.t0 + wanted);
      const move = moveOfItem(draft, item);
      if (move.kind === "back" && item.key === undefined) move.settings.own = true;
    }
  };
}

/** Puts the starts or the ends of items at one moment (ticks in the sequence). An arrival's end is the arrival. */
export function alignItems(
  items: readonly TimeItem[],
  edge: "start" | "end",
  at: number,
  start: ActionStart,
): SequenceCommand {
  return (draft) => {
    const list = distinct(items);
    keepJoined(draft, list, () => {
      for (const item of list) {
        const span = itemSpan(draft, item);
        const by = at - start(item.step) - (edge === "start" ? span.t0 : span.t1);
        retimed(
          draft,
          item,
          (t) => t + by,
          (l) => l,
        );
      }
    });
    takePlaces(draft, list);
  };
}

/** Spreads items so that the gaps between them are equal; the first and the last stay. */
export function distributeGaps(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): SequenceCommand {
  const list = distinct(items)
    .map((item) => {
      const span = itemSpan(sequence, item);
      // An arrival's place is its moment; what leads to it comes along.
      const t0 = item.key === undefined ? span.t0 : span.t1;
      return { item, t0: t0 + start(item.step), t1: span.t1 + start(item.step) };
    })
    .sort((a, b) => a.t0 - b.t0 || a.t1 - b.t1);
  const [first, last] = [list[0], list[list.length - 1]];
  if (list.length < 3 || !first || !last) throw new Refusal("spread-three");
  const taken = list.reduce((sum, l) => sum + l.t1 - l.t0, 0);
  const gap = (last.t1 - first.t0 - taken) / (list.length - 1);
  return (draft) => {
    let at = first.t0;
    for (const { item, t0, t1 } of list) {
      const by = at - t0;
      // What overlaps is spread so that it overlaps alike, as far as there is time before it.
      if (at < start(item.step)) throw new Refusal("spread-too-long");
      if (item !== last.item)
        retimed(
          draft,
          item,
          (t) => t + by,
          (l) => l,
        );
      at += t1 - t0 + gap;
    }
  };
}

/** How far apart two arrivals are in what they change: the root of the sum of squares over their channels. */
function distance(a: Readonly<Record<string, number>>, b: Readonly<Record<string, number>>): number {
  let sum = 0;
  for (const [channel, v] of Object.entries(b)) sum += (v - (a[channel] ?? v)) ** 2;
  return Math.sqrt(sum);
}

/**
 * Puts arrivals of one move where its speed from one to the next is the same, the way to the first of them included:
 * what leads to the first keeps its beginning, and the last stays. Channels must be of one unit (all slides, or all
 * turns).
 * @throws Refusal for fewer than two ways, several moves, or units that do not mix
 */
export function distributeSpeed(program: Program, items: readonly TimeItem[]): SequenceCommand {
  const { sequence } = program;
  const list = distinct(items).filter((i) => i.key !== undefined);
  const one = list[0];
  if (!one || list.length !== distinct(items).length || !list.every((i) => i.move === one.move && i.step === one.step))
    throw new Refusal("speed-three");
  const keys = list.map((i) => keyOfItem(sequence, i)).sort((a, b) => a.at - b.at);
  const units = new Set(
    keys.flatMap((k) =>
      Object.keys(k.values).map((c) =>
        c.startsWith("slide") || c.startsWith("aim") || c === "distance" ? "mm" : (c.split(".")[0] as string),
      ),
    ),
  );
  if (units.size > 1) throw new Refusal("speed-units");
  const first = keys[0] as Key;
  const { t0: begins } = itemSpan(sequence, { ...one, key: first.id });
  const values = before(program, one, first);
  const ways = keys.map((k) => {
    const way = distance(values, k.values);
    Object.assign(values, k.values);
    return way;
  });
  // A snap has no way: then it goes from the first arrival on.
  const snaps = first.at - begins < 1;
  if (keys.length < (snaps ? 3 : 2)) throw new Refusal("speed-three");
  if (snaps) ways[0] = 0;
  const total = ways.reduce((a, b) => a + b, 0);
  if (total === 0) throw new Refusal("speed-nothing");
  const last = keys[keys.length - 1] as Key;
  const from = snaps ? first.at : begins;
  return (draft) => {
    let way = 0;
    let reached = from;
    keys.forEach((k, i) => {
      if (i === 0 && snaps) return;
      way += nth(ways, i);
      const key = keyOfItem(draft, { ...one, key: k.id });
      key.at = i === keys.length - 1 ? last.at : inRange(from + ((last.at - from) * way) / total);
      // Equal speed has no rests between.
      key.lead = key.at - reached;
      key.ease = { kind: "soft", start: 0, stop: 0 };
      delete key.shapes;
      reached = key.at;
    });
  };
}

/** What the channels of an arrival have when it sets off. */
function before(program: Program, at: { step: string; move: string }, key: Key): Record<string, number> {
  const move = hand(program.sequence.steps[at.step]?.moves[at.move]);
  const rows = (move && program.placed.get(targetId(move.target))) ?? [];
  const out: Record<string, number> = {};
  for (const r of rows)
    if (r.step === at.step && r.key === key.id && !(r.channel in out) && r.channel in key.values)
      out[r.channel] = nth(r.from, 0);
  return out;
}

/**
 * Reverses items in time within the span they take: the last becomes the first. Hand keys run backwards through their
 * values; a ready-made move keeps its direction and has its place and ease mirrored (to undo what it does, put it
 * back).
 */
export function reverseItems(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): SequenceCommand {
  // A hand-keyed move counts by its arrivals.
  const list = distinct(items).flatMap((item) => {
    const keys = item.key === undefined ? hand(moveOfItem(sequence, item))?.keys : undefined;
    return keys ? Object.keys(keys).map((key) => ({ ...item, key })) : [item];
  });
  if (list.length === 0) throw new Refusal("nothing-timed-selected");
  const times = list.flatMap((item) => {
    const { t0, t1 } = itemSpan(sequence, item);
    return [(item.key === undefined ? t0 : t1) + start(item.step), t1 + start(item.step)];
  });
  const sum = Math.min(...times) + Math.max(...times);
  return (draft) => {
    const byMove = new Map<string, TimeItem[]>();
    for (const item of list) {
      const move = moveOfItem(draft, item);
      if (move.kind !== "hand") {
        const span = spanOf(move, draft);
        const shift = start(item.step);
        const by = sum - (span.t0 + span.t1 + 2 * shift);
        retimed(
          draft,
          item,
          (t) => t + by,
          (l) => l,
        );
        move.ease = reversedEase(move.ease);
        continue;
      }
      const id = `${item.step} ${item.move}`;
      byMove.set(id, [...(byMove.get(id) ?? []), item]);
    }
    for (const own of byMove.values()) reverseKeys(draft, own, sum - 2 * start((own[0] as TimeItem).step));
  };
}

/** The free orientation among the channels of an arrival. */
const ORIENTATION = "orientation";

/**
 * Mirrors arrivals about half of `sum` (ticks in their action): each channel runs back through its values, the
 * transitions and rests between them mirrored; it gets to the first of them with the lead that the first had.
 */
function reverseKeys(draft: Sequence, items: readonly TimeItem[], sum: number): void {
  const one = items[0] as TimeItem;
  const move = hand(moveOfItem(draft, one));
  if (!move) return;
  const keys = items.map((i) => keyOfItem(draft, i)).sort((a, b) => a.at - b.at);
  const made: Key[] = [];
  const has = (k: Key, channel: string) =>
    channel === ORIENTATION ? k.orientation !== undefined : channel in k.values;
  for (const channel of new Set(
    keys.flatMap((k) => [...Object.keys(k.values), ...(k.orientation ? [ORIENTATION] : [])]),
  )) {
    const own = keys.filter((k) => has(k, channel));
    const leadOf = (i: number) => {
      const key = own[i] as Key;
      const before = own[i - 1]?.at ?? arrivalBefore(move, key);
      return key.lead === "previous" ? key.at - before : Math.min(key.lead, key.at - before);
    };
    own.forEach((key, i) => {
      // What leads to the arrival after it leads, reversed, to it; the last one is got to as the first was.
      const last = i === own.length - 1;
      const after = (last ? own[0] : own[i + 1]) as Key;
      const lead = leadOf(last ? 0 : i + 1);
      const shape = last ? undefined : after.shapes?.[channel];
      made.push({
        id: freshId(),
        at: inRange(last ? sum - key.at : sum - after.at + lead),
        lead,
        ease: last ? after.ease : reversedEase(after.ease),
        ...(channel === ORIENTATION
          ? { values: {}, orientation: [...(key.orientation as NonNullable<Key["orientation"]>)] }
          : { values: { [channel]: key.values[channel] as number } }),
        ...(shape
          ? {
              shapes: {
                [channel]: shape.kind === "handles" ? { ...shape, leave: shape.arrive, arrive: shape.leave } : shape,
              },
            }
          : {}),
      });
    });
  }
  for (const key of keys) delete move.keys[key.id];
  for (const key of made) move.keys[key.id] = key;
  // Channels that arrive together stay together.
  gather(move, new Set(made.map((k) => k.id)));
}
