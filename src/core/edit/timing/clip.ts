import {
  type Beyond,
  type HandMove,
  hand,
  type Key,
  type Move,
  type Sequence,
  type Target,
  targetId,
} from "../../document/sequence";
import { Refusal } from "../../text/refusal";
import { freshId } from "../id";
import { newHandMove, plainCopy, type SequenceCommand } from "../sequenceCommands";
import {
  type ActionStart,
  distinct,
  inRange,
  keyOfItem,
  moveOfItem,
  spanOfItems,
  type TimeItem,
  takePlaces,
} from "./items";

/**
 * Arrivals and moves that were copied, apart from where they came from. Times in ticks from the first arrival, or the
 * first move's start where that is earlier.
 */
export interface Clip {
  /** Time from the first arrival or start to the last end. */
  length: number;
  keys: { target: Target; name: string; beyond: HandMove["beyond"]; at: number; key: Key }[];
  moves: { at: number; move: Move }[];
}

/** Copies items; gaps between steps are kept as they are in the sequence. */
export function copyItems(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): Clip {
  const list = distinct(items);
  const span = spanOfItems(sequence, list, start);
  const from = anchorOf(sequence, list, start);
  const clip: Clip = { length: span.t1 - from, keys: [], moves: [] };
  for (const item of list) {
    const move = moveOfItem(sequence, item);
    const shift = start(item.step) - from;
    if (move.kind !== "hand") clip.moves.push({ at: move.start + shift, move: plainCopy(move) });
    else {
      const keys = item.key === undefined ? Object.values(move.keys) : [keyOfItem(sequence, item)];
      for (const key of keys)
        clip.keys.push({
          target: move.target,
          name: move.name,
          beyond: move.beyond,
          at: key.at + shift,
          key: plainCopy(key),
        });
    }
  }
  return clip;
}

/** The moment of the first arrival, or of the first start of a move, ticks in the sequence. */
export function anchorOf(sequence: Sequence, items: readonly TimeItem[], start: ActionStart): number {
  let first = Number.POSITIVE_INFINITY;
  for (const item of items) {
    const move = moveOfItem(sequence, item);
    const own =
      move.kind !== "hand"
        ? move.start
        : item.key === undefined
          ? Math.min(...Object.values(move.keys).map((k) => k.at))
          : keyOfItem(sequence, item).at;
    first = Math.min(first, own + start(item.step));
  }
  return first;
}

/** Channels that a target lacks of those pasted onto it. */
export interface Lacking {
  target: Target;
  channels: string[];
}

/** What pasted arrivals would need and their new targets do not have. `has` tells whether a target has a channel. */
export function lacking(
  clip: Clip,
  targets: readonly Target[],
  has: (target: Target, channel: string) => boolean,
): Lacking[] {
  const channels = [...new Set(clip.keys.flatMap((k) => Object.keys(k.key.values)))];
  return targets.flatMap((target) => {
    const missing = channels.filter((c) => !has(target, c));
    return missing.length > 0 ? [{ target, channels: missing }] : [];
  });
}

/**
 * Pastes a clip into a step, its first arrival (or start) at a time of the action, each with the lead it had. Onto other targets each gets all the arrivals, in
 * those channels that it has; without targets they go to what they were copied from.
 * @returns the command and the items that it makes
 * @throws Refusal when nothing of it can be pasted there
 */
export function pasteItems(
  clip: Clip,
  step: string,
  at: number,
  onto: readonly { target: Target; name: string }[] | null,
  has: (target: Target, channel: string) => boolean,
): { command: SequenceCommand; items: TimeItem[] } {
  if (onto !== null && clip.moves.some((m) => m.move.kind === "back")) throw new Refusal("reversed-alone");
  const keys: {
    target: Target;
    name: string;
    beyond: Record<string, { before: Beyond; after: Beyond }> | undefined;
    key: Key;
  }[] = [];
  const moves: Move[] = [];
  const place = (time: number) => inRange(at + time);
  for (const entry of clip.keys) {
    for (const to of onto ?? [{ target: entry.target, name: entry.name }]) {
      const values = Object.fromEntries(Object.entries(entry.key.values).filter(([c]) => has(to.target, c)));
      if (Object.keys(values).length === 0 && !entry.key.orientation) continue;
      keys.push({
        ...to,
        beyond: entry.beyond,
        key: { ...plainCopy(entry.key), id: freshId(), at: place(entry.at), values },
      });
    }
  }
  for (const entry of clip.moves) {
    for (const to of onto ?? [null]) {
      const move = plainCopy(entry.move);
      if (move.kind === "hand") continue;
      Object.assign(move, { id: freshId(), start: place(entry.at), folder: null });
      if (to) {
        move.targets = [to.target];
        move.name = move.name.replace(/^[^:]+(?=: )/, to.name).slice(0, 200);
      }
      moves.push(move);
    }
  }
  if (keys.length + moves.length === 0) throw new Refusal("nothing-to-paste");
  const items: TimeItem[] = [];
  const ids = new Map<string, string>();
  for (const k of keys) {
    const id = targetId(k.target);
    if (!ids.has(id)) ids.set(id, freshId());
  }
  const command: SequenceCommand = (draft) => {
    const into = draft.steps[step];
    if (!into) throw new Refusal("gone", { what: "step" });
    items.length = 0;
    for (const move of moves) {
      into.moves[move.id] = plainCopy(move);
      items.push({ step, move: move.id });
    }
    for (const { target, name, beyond, key } of keys) {
      let move = Object.values(into.moves).find(
        (m): m is HandMove => m.kind === "hand" && targetId(m.target) === targetId(target),
      );
      if (!move) {
        const made = newHandMove(ids.get(targetId(target)) as string, target, name);
        if (beyond) made.beyond = plainCopy(beyond);
        into.moves[made.id] = made;
        move = hand(into.moves[made.id]) as HandMove;
      }
      move.keys[key.id] = plainCopy(key);
      items.push({ step, move: move.id, key: key.id });
    }
    takePlaces(draft, items);
  };
  return { command, items };
}
