import { type Beyond, hand, type Sequence, type Shape, type Target, targetId } from "../../core/document/sequence";
import { ownCurve } from "../../core/edit/curves/channel";
import {
  type CurveRef,
  moveCurveKeys,
  ownHandles,
  restoreChannel,
  roundOff,
  scaleCurveKeys,
  setBeyond,
  setShapes,
  unchanging,
} from "../../core/edit/curves/edit";
import { insertKey } from "../../core/edit/curves/insert";
import { deleteCurveKeys, dropChannels, dropPoints, thinOut } from "../../core/edit/curves/remove";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { blockSpan, closeCycle } from "../../core/edit/timing/cycles";
import { together } from "../../core/edit/together";
import { problemOf } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import { formatSecondsShort, snapToFrame, ticksPerFrame } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import { kindOfChannel, type Shown } from "../curves/model";
import type { Desk } from "../port";
import { rememberCurves } from "../remembered/timingStore";
import type { PointRef } from "../selection/refs";
import { type Joining, points } from "../selection/selection";
import type { CurvePrefs } from "../state";
import { attempt } from "./attempt";
import { actionStart, channelName, sayBetween } from "./timingActions";

export function setCurves(desk: Desk, change: Partial<CurvePrefs>): void {
  const curves = { ...desk.state.curves, ...change };
  desk.set({ curves });
  rememberCurves(curves);
}

/** Selects points of curves. */
export function selectPoints(desk: Desk, chosen: readonly PointRef[], how: Joining = "set"): void {
  desk.choose(points(desk.state.selected, chosen, how, desk.here()));
}

export const pointOf = (s: Shown, k: { step: string; move: string; key: string }): PointRef => ({
  step: k.step,
  move: k.move,
  key: k.key,
  channel: s.channel,
  target: s.target,
});

/** One name for a point, as a key of sets. */
export const pointId = (p: PointRef): string => `${targetId(p.target)} ${p.channel} ${p.step} ${p.key}`;

const named = new WeakMap<Shown, readonly string[]>();
/** The names of a channel's points in their order; made once for what is read off one state of the program. */
export function pointIds(s: Shown): readonly string[] {
  let ids = named.get(s);
  if (!ids) {
    ids = s.curve.keys.map((k) => pointId(pointOf(s, k)));
    named.set(s, ids);
  }
  return ids;
}

/** Names points for labels of edits. */
export function pointNames(desk: Desk, points: readonly PointRef[]): string {
  const channels = [...new Set(points.map((p) => channelName(desk, p.channel)))];
  return `${points.length === 1 ? "a point" : `${points.length} points`} of ${channels.slice(0, 2).join(" and ")}${channels.length > 2 ? " and others" : ""}`;
}

/** Points by what they move, for commands that need the curve. */
export function byTarget(points: readonly PointRef[]): { target: Target; refs: PointRef[] }[] {
  const out = new Map<string, { target: Target; refs: PointRef[] }>();
  for (const p of points) {
    const id = targetId(p.target);
    const known = out.get(id);
    if (known) known.refs.push(p);
    else out.set(id, { target: p.target, refs: [p] });
  }
  return [...out.values()];
}

/** A command on all selected points, target by target. */
export function onPoints(
  desk: Desk,
  label: string,
  make: (target: Target, refs: PointRef[]) => SequenceCommand,
  merge: string | null = null,
): boolean {
  const { points } = desk.state;
  if (points.length === 0) return false;
  return attempt(
    desk,
    `${label} ${pointNames(desk, points)}`,
    () => together(byTarget(points).map(({ target, refs }) => make(target, refs))),
    merge,
  );
}

/** Moves points, and keeps those selected that have become arrivals of their own. */
export function movePoints(desk: Desk, by: number, rise: number, merge: string | null = null): void {
  const { points } = desk.state;
  if (points.length === 0) return;
  const move = moveCurveKeys(points, { by, rise });
  if (!attempt(desk, `Move ${pointNames(desk, points)}`, () => move.command, merge)) return;
  selectPoints(
    desk,
    move.refs.map((r, i) => ({ ...r, target: (points[i] as PointRef).target })),
  );
}

export function nudgePoints(desk: Desk, frames: number, units: number): void {
  const { points } = desk.state;
  const first = points[0];
  if (!first) return;
  movePoints(
    desk,
    Math.round(frames * ticksPerFrame(desk.sequence.rate)),
    units,
    `nudge-points-${points.length}-${first.key}-${frames !== 0}`,
  );
}

/**
 * Removes the selected points: the motion then goes from the neighbours before to those behind. Where that was chosen
 * the shape is kept as well as it can be, and how well is said.
 */
export function removePoints(desk: Desk): void {
  const { points, curves } = desk.state;
  if (points.length === 0) return;
  let worst: number | null = 0;
  const label = `Remove ${pointNames(desk, points)}`;
  const done = curves.fit
    ? attempt(desk, label, () =>
        together(
          byTarget(points).map(({ target, refs }) => {
            const { command, error } = deleteCurveKeys(desk.program, target, refs);
            worst = error === null || worst === null ? null : Math.max(worst, error);
            return command;
          }),
        ),
      )
    : attempt(desk, label, () => dropPoints(points));
  if (done && curves.fit) {
    const kind = kindOfChannel(desk, points[0]?.channel ?? "");
    desk.notify(
      "info",
      worst === null
        ? "Removed. The curve there is another one now, for a still or an end had nothing to fit to."
        : `Removed; the curve is at most ${formatNumber(worst as number, 4)}${kind === "angle" ? "°" : kind === "length" ? " mm" : ""} off.`,
    );
  }
}

/** Puts a point on a curve without changing its shape. */
export function insertPoint(desk: Desk, s: Shown, at: number): void {
  try {
    const t = desk.state.timing.snap ? snapToFrame(at, desk.sequence.rate) : Math.round(at);
    const there = s.curve.keys.find((k) => Math.abs(k.at - t) < 1);
    if (there) {
      // Where a point is already, that one is meant.
      selectPoints(desk, [pointOf(s, there)]);
      return;
    }
    const { command, ref, second } = insertKey(desk.program, s.target, s.channel, t);
    if (!desk.edit(`Point on ${s.name} at ${formatSecondsShort(t)} s`, command)) return;
    selectPoints(desk, [{ ...ref, target: s.target }]);
    if (second)
      desk.notify(
        "info",
        "The soft end of this ease got a point of its own, so that nothing moves otherwise than before.",
      );
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/** How far own handles would be off what the selected points do now, in the first one's unit; 0 where they are exact. */
export function handlesError(desk: Desk): number {
  const { points } = desk.state;
  // Told for what is looked at; thousands would be worked out for nothing.
  if (points.length > 20) return 0;
  return byTarget(points).reduce(
    (most, { target, refs }) => Math.max(most, ownHandles(desk.program, target, refs).error),
    0,
  );
}

export const shapePoints = (desk: Desk, kind: Shape["kind"] | "ease"): boolean =>
  onPoints(desk, "Shape of", (target, refs) => setShapes(desk.program, target, refs, kind));

/** Scales points about their middle, their first, or the playhead; negative values flip. */
export function scalePoints(
  desk: Desk,
  pivot: { at: number; value: number },
  factor: { time: number; value: number },
): void {
  const { points } = desk.state;
  sayBetween(desk, () =>
    attempt(desk, `${factor.value < 0 ? "Flip" : "Scale"} ${pointNames(desk, points)}`, () =>
      scaleCurveKeys(points, pivot, factor, actionStart(desk)),
    ),
  );
}

export function roundPoints(desk: Desk, to: number): void {
  const { points } = desk.state;
  let changed = 0;
  const done = attempt(desk, `Round off ${pointNames(desk, points)}`, () => {
    const r = roundOff(desk.body(), points, to);
    changed = r.changed;
    return r.command;
  });
  desk.notify("info", done ? `${changed} ${changed === 1 ? "value" : "values"} rounded.` : "They are round already.");
}

/** Takes out points that a channel does without. */
export function thinChannel(desk: Desk, s: Shown, slack: number): void {
  try {
    const { command, removed, error } = thinOut(desk.program, s.target, s.channel, slack);
    if (removed === 0) desk.notify("info", "Every point is needed to keep the curve that close.");
    else if (desk.edit(`Thin out ${s.name} of ${s.owner}`, command))
      desk.notify(
        "info",
        `${removed} ${removed === 1 ? "point" : "points"} taken out; the curve is at most ${formatNumber(error, 4)} off.`,
      );
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/** Removes all channels that never change, everywhere. */
export function removeUnchanging(desk: Desk): void {
  const refs = unchanging(desk.program);
  if (refs.length === 0) {
    desk.notify("info", "Every channel that is keyed changes somewhere.");
    return;
  }
  const channels = new Set(refs.map((r) => `${r.move} ${r.channel}`)).size;
  if (attempt(desk, `Remove ${channels} unchanging channels`, () => dropChannels(refs)))
    desk.notify(
      "info",
      `${channels} ${channels === 1 ? "channel that never changes was" : "channels that never change were"} removed.`,
    );
}

/** Hand-keyed moves that have a channel, or any of a target. */
export function handMoves(
  sequence: Sequence,
  target: Target,
  channel: string | null,
): { step: string; move: string; channels: string[] | "all" }[] {
  return Object.values(sequence.steps).flatMap((step) =>
    Object.values(step.moves).flatMap((m): { step: string; move: string; channels: string[] | "all" }[] => {
      const move = hand(m);
      if (!move || targetId(move.target) !== targetId(target)) return [];
      if (channel === null) return [{ step: step.id, move: m.id, channels: "all" }];
      return Object.values(move.keys).some((k) => channel in k.values)
        ? [{ step: step.id, move: m.id, channels: [channel] }]
        : [];
    }),
  );
}

/** Says how channels go on before or after; for moves of the points' steps, or a whole move. */
export function beyondOf(
  desk: Desk,
  moves: readonly { step: string; move: string; channels: readonly string[] | "all" }[],
  side: "before" | "after",
  kind: Beyond,
): void {
  if (moves.length === 0) return;
  const label = `${side === "before" ? "Before the first" : "After the last"}: ${kind}`;
  if (!attempt(desk, label, () => setBeyond(moves, side === "before" ? kind : null, side === "after" ? kind : null)))
    return;
  if (kind === "straight" && side === "after") {
    const still = moves.some((m) => {
      const keys = Object.values(hand(desk.body().steps[m.step]?.moves[m.move])?.keys ?? {}).sort(
        (a, b) => a.at - b.at,
      );
      return keys.length > 0 && keys.every((k) => !k.shapes && k.ease.kind === "soft" && k.ease.stop > 0);
    });
    if (still)
      desk.notify(
        "info",
        "It comes to rest at its last arrival, so there is no speed to go on at. Make the last piece straight to run on.",
      );
  }
}

/** Where a channel that goes on in cycles begins and ends, if that is not the same; null where it meets. */
function gapOf(
  desk: Desk,
  target: Target,
  at: { step: string; move: string; channels: readonly string[] | "all" },
): { channel: string; begin: number; end: number } | null {
  const move = hand(desk.body().steps[at.step]?.moves[at.move]);
  for (const [channel, way] of Object.entries(move?.beyond ?? {})) {
    if (way.after !== "repeat" || (at.channels !== "all" && !at.channels.includes(channel))) continue;
    const keys = ownCurve(desk.program, target, channel).keys.filter((k) => k.step === at.step && k.move === at.move);
    const [first, last] = [keys[0], keys[keys.length - 1]];
    if (!first || !last) continue;
    const begin = first.segment.t1 > first.segment.t0 && way.before === "hold" ? first.segment.from : first.value;
    const turns = channel.startsWith("turn.") ? (last.value - begin) / 360 : Number.NaN;
    if (Math.abs(last.value - begin) > 1e-6 && !(Math.abs(turns - Math.round(turns)) < 1e-9))
      return { channel, begin, end: last.value };
  }
  return null;
}

/** Says where a channel that does it again does not end as it began, in words; null where it meets. */
export function openCycle(
  desk: Desk,
  target: Target,
  at: { step: string; move: string; channels: readonly string[] | "all" },
): string | null {
  const gap = gapOf(desk, target, at);
  if (!gap) return null;
  const kind = kindOfChannel(desk, gap.channel);
  const text = (v: number) => `${formatNumber(v, 2)}${kind === "angle" ? "°" : kind === "length" ? " mm" : ""}`;
  return `It jumps from ${text(gap.end)} back to ${text(gap.begin)} each time.`;
}

/** Closes the cycles of channels that are done again: what does not end as it began gets there at its end. */
export function closeCycles(
  desk: Desk,
  moves: readonly { step: string; move: string; channels: readonly string[] | "all" }[],
): void {
  attempt(desk, "Close the cycle", () => {
    const { command, closed } = closeOpen(desk, moves);
    if (closed.length === 0) throw new Refusal("cycle-closed");
    return command;
  });
}

/** The command that closes cycles an arrival after their last: as long after it as what leads to it takes. */
function closeOpen(desk: Desk, moves: readonly { step: string; move: string; channels: readonly string[] | "all" }[]) {
  const span = blockSpan(desk.body(), moves);
  const keys = moves.flatMap((m) => Object.values(hand(desk.body().steps[m.step]?.moves[m.move])?.keys ?? {}));
  const last = keys.toSorted((a, b) => b.at - a.at)[0];
  const before = keys.toSorted((a, b) => b.at - a.at).find((k) => k.at < (last?.at ?? 0))?.at ?? span.t0;
  const wanted = (channel: string) =>
    moves.some(
      (m) =>
        (m.channels === "all" || m.channels.includes(channel)) &&
        hand(desk.body().steps[m.step]?.moves[m.move])?.beyond?.[channel]?.after === "repeat",
    );
  return closeCycle(desk.program, moves, span.t1 - span.t0 + (span.t1 - before), wanted);
}

/** Puts a channel back to what it was in an earlier state. */
export function goBackTo(desk: Desk, s: Shown, earlier: Sequence, label: string): void {
  attempt(desk, `${s.name} of ${s.owner} as ${label}`.slice(0, 250), () =>
    restoreChannel(earlier, s.target, s.channel),
  );
}

/** Points of curves as plain references. */
export const refsOf = (points: readonly PointRef[]): CurveRef[] =>
  points.map(({ step, move, key, channel }) => ({ step, move, key, channel }));
