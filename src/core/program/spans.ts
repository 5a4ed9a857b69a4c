import { isDraft } from "immer";
import { type AnyTarget, type Target, targetId } from "../document/keys";
import { type Key, keysOf, type Move, type Sequence, type Step } from "../document/sequence";
import type { Made } from "../moves/kind";
import { moveKindOf } from "../moves/kinds";

/** A stretch of time in a step's action, ticks. */
export interface Span {
  t0: number;
  t1: number;
}

/** How many reversals of reversals are followed before they count as a circle. */
const DEPTH = 20;

/** True when a move is on, and its folder too. */
export function isOn(step: Step, move: Move): boolean {
  return move.on && (move.folder === null || step.folders[move.folder]?.on !== false);
}

/** The move that a reversed one mirrors, or undefined. */
export function reversed(move: Move, sequence: Sequence): Move | undefined {
  return move.kind === "back" ? sequence.steps[move.settings.of.step]?.moves[move.settings.of.move] : undefined;
}

/** Parts and cameras that a move acts on, each once. A reversed move acts on what its original acts on. */
export function actsOn(move: Move, sequence: Sequence, depth = 0): Target[] {
  if (move.kind === "hand") return [move.target];
  if (move.kind === "back") {
    const of = reversed(move, sequence);
    return of && depth < DEPTH ? actsOn(of, sequence, depth + 1) : [...move.targets];
  }
  // The settings are this kind's: its own schema let them in.
  const also = moveKindOf(move.kind).also?.(move.settings as never) ?? [];
  if (also.length === 0) return move.targets;
  const seen = new Set<string>();
  return [...move.targets, ...also].filter((t) => !seen.has(targetId(t)) && seen.add(targetId(t)));
}

/** Everything that a move writes channels of: what it acts on, and what it draws over the picture. */
export function targetsOf(move: Move, sequence: Sequence): AnyTarget[] {
  const acts = actsOn(move, sequence);
  if (move.kind === "hand" || !moveKindOf(move.kind).overlay) return acts;
  return [...acts, { type: "overlay", id: move.id }];
}

/** Spans of hand-keyed moves by identity, since an unchanged move keeps its object. */
const handSpans = new WeakMap<Move, Span>();

function handSpan(move: Move): Span {
  const known = handSpans.get(move);
  if (known) return known;
  let t0 = Number.POSITIVE_INFINITY;
  let t1 = 0;
  let before = 0;
  for (const key of keysOf(move).sort((a: Key, b: Key) => a.at - b.at)) {
    t0 = Math.min(t0, key.lead === "previous" ? before : Math.max(0, key.at - key.lead));
    t1 = Math.max(t1, key.at);
    before = key.at;
  }
  const span = { t0: Math.min(t0, t1), t1 };
  handSpans.set(move, span);
  return span;
}

/** When a move acts, from its first companion to its last, all its repeats included; for good counts as once. */
export function spanOf(move: Move, sequence: Sequence, depth = 0): Span {
  const once = cycleOf(move, sequence, depth);
  const times = move.repeat?.times ?? 1;
  return times > 1 ? { t0: once.t0, t1: once.t1 + (times - 1) * periodOf(move, once) } : once;
}

/** Ticks from one beginning of a repeated move to the next: never less than it takes. */
export function periodOf(move: Move, once: Span): number {
  const own = once.t1 - once.t0;
  return Math.max(own, move.repeat?.period ?? own);
}

/** When a move acts the first time. */
export function cycleOf(move: Move, sequence: Sequence, depth = 0): Span {
  if (move.kind === "hand") return handSpan(move);
  if (move.kind === "back") {
    if (move.settings.own || depth > DEPTH) return { t0: move.start, t1: move.start + move.length };
    const of = reversed(move, sequence);
    const window = of ? mirroredSpan(of, sequence, move.settings.companions, depth + 1) : { t0: 0, t1: 0 };
    return { t0: move.start, t1: move.start + window.t1 - window.t0 };
  }
  const kind = moveKindOf(move.kind);
  return { t0: move.start, t1: move.start + (kind.span?.(move as Made) ?? move.length) };
}

/** The part of a move's span that a reversal of it mirrors. */
export function mirroredSpan(move: Move, sequence: Sequence, companions: boolean, depth = 0): Span {
  const whole = spanOf(move, sequence, depth);
  if (companions || move.repeat || move.kind === "hand" || move.kind === "back") return whole;
  return moveKindOf(move.kind).main?.(move as Made) ?? whole;
}

/** Lengths of steps by identity, where nothing of another step counts. */
const lengths = new WeakMap<Step, number>();

/** Length of a step's action: as set, or as long as its moves that are on need. */
export function actionLength(step: Step, sequence: Sequence): number {
  const known = lengths.get(step);
  if (known !== undefined) return known;
  let length = step.action;
  let alone = true;
  for (const id in step.moves) {
    const move = step.moves[id] as Move;
    if (!isOn(step, move)) continue;
    length = Math.max(length, spanOf(move, sequence).t1);
    alone &&= move.kind !== "back";
  }
  // A draft is changed in place.
  if (alone && !isDraft(step)) lengths.set(step, length);
  return length;
}

/** Length of a step in ticks, stills and all. */
export function stepLength(step: Step, sequence: Sequence): number {
  return step.stillBefore + actionLength(step, sequence) + step.stillAfter;
}
