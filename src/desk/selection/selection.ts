import type { Preparation } from "../../core/document/preparation";
import { hand, type Sequence } from "../../core/document/sequence";
import type { Focus, KeyRef, MoveRef, PointRef } from "./refs";

/** Parts that are selected: by node number, as one group or each by itself. */
export interface Parts {
  nodes: readonly number[];
  /** The group that they are selected as, or null. */
  group: string | null;
}

/**
 * What is selected: one thing of these, whatever was selected before. Parts may be selected besides, for what is done
 * in time or to a look is often done to them; the handles on the stage are theirs. Everything else that the desk says
 * about the selection is derived from this one value, and it is changed by the functions here alone.
 */
export type Selection = { readonly parts: Parts } & (
  | { readonly kind: "nothing" /** The step whose details are shown. */; readonly step: string }
  | { readonly kind: "parts" }
  /** Arrivals and moves; `shown` says what the details are of: all of them, the last one, or a step. */
  | {
      readonly kind: "time";
      readonly pins: readonly KeyRef[];
      readonly moves: readonly MoveRef[];
      readonly shown: TimeShown;
    }
  | { readonly kind: "points"; readonly points: readonly PointRef[] }
  | { readonly kind: "look" }
  | { readonly kind: "camera" }
  | { readonly kind: "sound"; readonly id: string }
);

export type TimeShown = "all" | "last" | { readonly step: string };

/** What is derived of a selection, under the names that the desk shows it by. */
export interface Selected {
  selection: readonly number[];
  group: string | null;
  pins: readonly KeyRef[];
  marked: readonly MoveRef[];
  points: readonly PointRef[];
  focus: Focus;
}

/** How something joins what is selected. */
export type Joining = "set" | "add" | "toggle";

const NONE: readonly never[] = [];
export const NO_PARTS: Parts = { nodes: NONE, group: null };

const samePin = (a: KeyRef, b: KeyRef) => a.key === b.key && a.move === b.move && a.step === b.step;
const sameMove = (a: MoveRef, b: MoveRef) => a.move === b.move && a.step === b.step;
export const samePoint = (a: PointRef, b: PointRef): boolean => samePin(a, b) && a.channel === b.channel;

export const nothing = (step: string, parts = NO_PARTS): Selection => ({ kind: "nothing", step, parts });

/** Parts; with none of them nothing, in the step at hand. */
export function parts(chosen: Parts, here: string): Selection {
  return chosen.nodes.length > 0 || chosen.group !== null ? { kind: "parts", parts: chosen } : nothing(here);
}

/** Other parts beside what else is selected. */
export function besides(now: Selection, chosen: Parts, here: string): Selection {
  return now.kind === "parts" ? parts(chosen, here) : { ...now, parts: chosen };
}

/**
 * A step's details in place of what is in them. Parts stay selected, and what is selected in time, so that it can be
 * put in there.
 */
export function showStep(now: Selection, step: string, chosen = now.parts): Selection {
  return now.kind === "time" ? { ...now, shown: { step }, parts: chosen } : nothing(step, chosen);
}
export const look = (now: Selection): Selection => ({ kind: "look", parts: now.parts });
export const sound = (id: string): Selection => ({ kind: "sound", id, parts: NO_PARTS });
export const camera = (): Selection => ({ kind: "camera", parts: NO_PARTS });

/** Arrivals and moves; none of them is nothing. */
export function timed(
  pins: readonly KeyRef[],
  moves: readonly MoveRef[],
  chosen: Parts,
  here: string,
  shown: TimeShown = "all",
): Selection {
  if (pins.length + moves.length === 0) return nothing(here, chosen);
  return { kind: "time", pins, moves, shown, parts: chosen };
}

/** The same with more of them, by how they join. */
export function withTimed(
  now: Selection,
  pins: readonly KeyRef[],
  moves: readonly MoveRef[],
  how: Joining,
  here: string,
): Selection {
  const was = now.kind === "time" ? now : { pins: NONE, moves: NONE };
  return timed(joined(was.pins, pins, how, samePin), joined(was.moves, moves, how, sameMove), NO_PARTS, here);
}

/** A move of a step's list: alone, with those up to it, or one more or less while the list is still shown. */
export function listed(
  now: Selection,
  ref: MoveRef,
  how: { more?: boolean; range?: readonly MoveRef[] } = {},
): Selection {
  if (how.range) return timed([], how.range, NO_PARTS, ref.step, { step: ref.step });
  if (!how.more) return timed([], [ref], NO_PARTS, ref.step, "last");
  const was = now.kind === "time" ? now.moves : NONE;
  return timed([], joined(was, [ref], "toggle", sameMove), NO_PARTS, ref.step, { step: ref.step });
}

/** Points of curves, by how they join; the parts whose curves are shown stay. */
export function points(now: Selection, chosen: readonly PointRef[], how: Joining, here: string): Selection {
  const next = joined(now.kind === "points" ? now.points : NONE, chosen, how, samePoint);
  return next.length > 0 ? { kind: "points", points: next, parts: now.parts } : nothing(here, now.parts);
}

/** While the details are those of a step they are those of the step at the playhead. */
export function follow(now: Selection, here: string): Selection {
  if (now.kind === "nothing" && now.step !== here) return { ...now, step: here };
  return now.kind === "time" && typeof now.shown === "object" && now.shown.step !== here
    ? { ...now, shown: { step: here } }
    : now;
}

/** Parts by their numbers in another assembly; those that are not in it are let go. */
export function renumbered(now: Selection, numberOf: (node: number) => number): Selection {
  const nodes = now.parts.nodes.map(numberOf).filter((n) => n >= 0);
  return { ...now, parts: { ...now.parts, nodes } };
}

/** What of a selection is still there after an edit. The same value where all of it is. */
export function pruned(now: Selection, sequence: Sequence, preparation: Preparation, here: string): Selection {
  const { steps, stepOrder } = sequence;
  const first = stepOrder[0] ?? "";
  const stepOr = (id: string) => (steps[id] ? id : steps[here] ? here : first);
  const left: Parts = now.parts.group !== null && !preparation.groups[now.parts.group] ? NO_PARTS : now.parts;
  const isMove = (m: MoveRef) => steps[m.step]?.moves[m.move] !== undefined;
  const keyOf = (p: KeyRef) => hand(steps[p.step]?.moves[p.move])?.keys[p.key];
  if (now.kind === "nothing") return steps[now.step] && left === now.parts ? now : nothing(stepOr(now.step), left);
  if (now.kind === "parts")
    return left === now.parts && (left.nodes.length > 0 || left.group !== null) ? now : parts(left, stepOr(here));
  if (now.kind === "time") {
    const [pins, moves] = [now.pins.filter(keyOf), now.moves.filter(isMove)];
    const shown = typeof now.shown === "object" && !steps[now.shown.step] ? { step: stepOr(here) } : now.shown;
    if (
      pins.length === now.pins.length &&
      moves.length === now.moves.length &&
      left === now.parts &&
      shown === now.shown
    )
      return now;
    if (pins.length + moves.length > 0) return { ...now, pins, moves, parts: left, shown };
    if (typeof shown === "object") return nothing(shown.step, left);
    const was = now.pins[0] ?? now.moves[0];
    return now.moves.length === 0 ? parts(left, stepOr(was?.step ?? here)) : nothing(stepOr(was?.step ?? here), left);
  }
  if (now.kind === "sound" && !sequence.sounds?.[now.id]) return nothing(stepOr(here), left);
  if (now.kind === "points") {
    const kept = now.points.filter((p) => p.channel in (keyOf(p)?.values ?? {}));
    if (kept.length === now.points.length && left === now.parts) return now;
    return kept.length > 0 ? { ...now, points: kept, parts: left } : nothing(stepOr(here), left);
  }
  return left === now.parts ? now : { ...now, parts: left };
}

/** What the desk shows of a selection. */
export function selectedOf(now: Selection): Selected {
  return {
    selection: now.parts.nodes,
    group: now.parts.group,
    pins: now.kind === "time" ? now.pins : NONE,
    marked: now.kind === "time" ? now.moves : NONE,
    points: now.kind === "points" ? now.points : NONE,
    focus: focusOf(now),
  };
}

function focusOf(now: Selection): Focus {
  if (now.kind === "nothing") return { kind: "step", id: now.step };
  if (now.kind === "points") return { kind: "curve" };
  if (now.kind === "sound") return { kind: "sound", id: now.id };
  if (now.kind !== "time") return { kind: now.kind };
  const { pins, moves, shown } = now;
  const [pin, move] = [pins[pins.length - 1], moves[moves.length - 1]];
  if (typeof shown === "object") return { kind: "step", id: shown.step };
  if (shown === "all" && pins.length + moves.length > 1) return { kind: "timing" };
  return move ? { kind: "move", ref: move } : { kind: "key", ref: pin as KeyRef };
}

/** Two lists without doubles; with `toggle`, what is in both is left out. */
function joined<T>(was: readonly T[], more: readonly T[], how: Joining, same: (a: T, b: T) => boolean): readonly T[] {
  if (how === "set") return more;
  const both = (x: T, list: readonly T[]) => list.some((y) => same(x, y));
  return [...was.filter((x) => !(how === "toggle" && both(x, more))), ...more.filter((x) => !both(x, was))];
}
