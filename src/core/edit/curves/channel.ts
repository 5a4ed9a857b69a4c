import { type Neighbours, type Segment, segmentAt, shapeHandles } from "../../curve/segment";
import type { Beyond, Shape } from "../../document/keys";
import { hand, type Key, type Move, type Sequence, type Target, targetId } from "../../document/sequence";
import { nth } from "../../math/packed";
import type { Placed } from "../../program/layout";
import type { Program } from "../../program/program";
import { cycleOf, periodOf } from "../../program/spans";

/** One arrival of one channel, as the curve view shows it. */
export interface CurveKey {
  step: string;
  move: string;
  key: string;
  /** Ticks in the sequence. */
  at: number;
  value: number;
  /** The transition that leads to it, in the sequence's time; of no length for a snap. */
  segment: Segment;
  /** How that is shaped: "ease" where the arrival's ease is let be. */
  shape: Shape["kind"] | "ease";
  /** Whether its handles are set apart. */
  split: boolean;
  /** Whether the transition before runs into this one without a rest. */
  meets: boolean;
  /** Which time of a move that is repeated this is: 0 is the arrival itself, others follow from it. */
  pass: number;
  /** Whether that time goes back. */
  back: boolean;
}

/** One channel over the whole sequence. */
export interface ChannelCurve {
  target: Target;
  channel: string;
  rest: number;
  keys: CurveKey[];
  /** Where ready-made moves change it: their eased pieces, in the sequence's time. */
  made: { step: string; move: string; rows: Placed[] }[];
  /** How each hand-keyed move's part goes on, by step and move. */
  beyond: { step: string; move: string; before: Beyond; after: Beyond }[];
}

/** Every channel that something changes on a target, by name. */
export function channelNames(program: Program, target: Target): string[] {
  return [...new Set((program.placed.get(targetId(target)) ?? []).map((r) => r.channel))].filter(
    (c) => c !== "orientation",
  );
}

/** The curve of a channel, from what is compiled. */
export function channelCurve(program: Program, target: Target, channel: string): ChannelCurve {
  const c = program.channelOf(target, channel);
  const rows = (program.placed.get(targetId(target)) ?? []).filter((r) => r.channel === channel);
  const curve: ChannelCurve = {
    target,
    channel,
    rest: c >= 0 ? nth(program.scalars.rest, c) : 0,
    keys: [],
    made: [],
    beyond: [],
  };
  const start = (r: Placed) => nth(program.steps.action, r.position);
  const known = new Map<Move, Times | null>();
  const times = (move: Move | undefined): Times | null => {
    if (!move?.repeat || move.repeat.times === null) return null;
    const it = known.get(move) ?? timesOf(move, program.sequence);
    known.set(move, it);
    return it;
  };
  for (const row of rows) {
    const step = program.sequence.steps[row.step];
    const move = step?.moves[row.move];
    if (row.key === "") {
      const last = curve.made[curve.made.length - 1];
      if (last?.move === row.move && last.step === row.step) last.rows.push(row);
      else curve.made.push({ step: row.step, move: row.move, rows: [row] });
      continue;
    }
    const key = hand(move)?.keys[row.key];
    if (!key) continue;
    const b = hand(move)?.beyond?.[channel];
    if (b && !curve.beyond.some((x) => x.step === row.step && x.move === row.move))
      curve.beyond.push({ step: row.step, move: row.move, ...b });
    const before = curve.keys[curve.keys.length - 1];
    const at = row.t1 + start(row);
    if (before && row.continues) {
      before.segment.t1 = at;
      before.segment.to = nth(row.to, 0);
      before.at = at;
      before.value = before.segment.to;
      continue;
    }
    curve.keys.push({
      step: row.step,
      move: row.move,
      key: key.id,
      at,
      value: nth(row.to, 0),
      segment: {
        t0: row.t0 + start(row),
        t1: at,
        from: nth(row.from, 0),
        to: nth(row.to, 0),
        leave: { share: 1 / 3, value: 0 },
        arrive: { share: 1 / 3, value: 0 },
      },
      shape: key.shapes?.[channel]?.kind ?? "ease",
      split: key.split?.includes(channel) ?? false,
      meets: false,
      ...passOf(times(move), row),
    });
  }
  curve.keys.sort((a, b) => a.at - b.at);
  withHandles(program, curve);
  return curve;
}

/** The curve with its arrivals alone, without what repeats them: what is changed are these. */
export function ownCurve(program: Program, target: Target, channel: string): ChannelCurve {
  return withoutRepeats(channelCurve(program, target, channel));
}

export const withoutRepeats = (curve: ChannelCurve): ChannelCurve => ({
  ...curve,
  keys: curve.keys.filter((k) => k.pass === 0),
});

/**
 * Arrivals that a repeated move comes to from elsewhere each time, as where it does not end where it began: what is
 * changed of the way to them in the first time changes the others otherwise.
 */
export function unlikeLater(curve: ChannelCurve): Set<string> {
  const rise = (k: CurveKey) => k.segment.to - k.segment.from;
  const first = new Map(curve.keys.flatMap((k) => (k.pass === 0 ? [[`${k.step} ${k.key}`, rise(k)] as const] : [])));
  const out = new Set<string>();
  for (const k of curve.keys) {
    const own = first.get(`${k.step} ${k.key}`);
    if (own !== undefined && Math.abs(rise(k) - (k.back ? -own : own)) > 1e-9) out.add(`${k.step} ${k.key}`);
  }
  return out;
}

/** When a repeated move acts the first time, ticks in its step's action, and how far its times are apart. */
interface Times {
  begin: number;
  end: number;
  period: number;
  swings: boolean;
}

function timesOf(move: Move, sequence: Sequence): Times {
  const once = cycleOf(move, sequence);
  return { begin: once.t0, end: once.t1, period: periodOf(move, once), swings: move.repeat?.way === "swing" };
}

/** Which time of its move a transition belongs to. */
function passOf(times: Times | null, row: Placed): { pass: number; back: boolean } {
  if (!times || row.t1 <= times.end + 1) return { pass: 0, back: false };
  const pass = Math.floor(((row.t0 + row.t1) / 2 - times.begin) / times.period);
  return { pass, back: times.swings && pass % 2 === 1 };
}

/** Works out the handles of every transition, which for smooth ones depend on their neighbours. */
function withHandles(program: Program, curve: ChannelCurve): void {
  const line = (k: CurveKey) => ({
    slope: (k.segment.to - k.segment.from) / (k.segment.t1 - k.segment.t0),
    length: k.segment.t1 - k.segment.t0,
  });
  curve.keys.forEach((k, i) => {
    const before = curve.keys[i - 1];
    const after = curve.keys[i + 1];
    const moves = (x: CurveKey | undefined) => x !== undefined && x.segment.t1 > x.segment.t0;
    k.meets = before !== undefined && moves(before) && moves(k) && Math.abs(before.at - k.segment.t0) <= 1;
    const near: Neighbours = {
      before: k.meets ? line(before as CurveKey) : null,
      after: after && moves(after) && moves(k) && Math.abs(after.segment.t0 - k.at) <= 1 ? line(after) : null,
    };
    const key = keyOf(program, k);
    if (key)
      Object.assign(
        k.segment,
        shapeHandles(
          key.shapes?.[curve.channel],
          key.ease,
          k.segment.from,
          k.segment.to,
          k.segment.t1 - k.segment.t0,
          near,
        ),
      );
  });
}

const keyOf = (program: Program, k: CurveKey): Key | undefined =>
  hand(program.sequence.steps[k.step]?.moves[k.move])?.keys[k.key];

/** The value of a channel at a time of the sequence as its hand keys and what is between them make it. */
export function curveAt(curve: ChannelCurve, t: number): number {
  let value = curve.rest;
  for (const k of curve.keys) {
    if (t < k.segment.t0) return value;
    if (t < k.at) return segmentAt(k.segment, t);
    value = k.value;
  }
  return value;
}

export { segmentAt };
