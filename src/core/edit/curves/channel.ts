import { type Neighbours, parameterAt, type Segment, segmentAt, shapeHandles } from "../../curve/segment";
import type { Beyond, Shape } from "../../document/keys";
import { hand, type Key, type Target, targetId } from "../../document/sequence";
import { nth } from "../../math/packed";
import type { Placed } from "../../program/layout";
import type { Program } from "../../program/program";

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
    const known = curve.keys[curve.keys.length - 1];
    const at = row.t1 + start(row);
    if (known && row.continues) {
      known.segment.t1 = at;
      known.segment.to = nth(row.to, 0);
      known.at = at;
      known.value = known.segment.to;
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
    });
  }
  curve.keys.sort((a, b) => a.at - b.at);
  withHandles(program, curve);
  return curve;
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

/**
 * One cubic in place of two that meet, as close to them as can be: its directions at both ends stay, and the lengths
 * of its handles and where they point are the least squares over times spread through both (Schneider's way of fitting,
 * Graphics Gems 1990, with time as the given parameter).
 * @returns the segment, and the largest distance in value at any of those times
 */
export function fitted(a: Segment, b: Segment): { segment: Segment; error: number } {
  const length = b.t1 - a.t0;
  const times = Array.from({ length: 61 }, (_, i) => a.t0 + (length * (i + 1)) / 62);
  const values = times.map((t) => segmentAt(t < a.t1 ? a : b, t));
  const worst = (s: Segment) =>
    times.reduce((most, t, i) => Math.max(most, Math.abs(segmentAt(s, t) - nth(values, i))), 0);
  const solve = (x1: number, x2: number): { segment: Segment; error: number } => {
    const s: Segment = {
      t0: a.t0,
      t1: b.t1,
      from: a.from,
      to: b.to,
      leave: { share: x1, value: 0 },
      arrive: { share: x2, value: 0 },
    };
    // With given shares the value is linear in what the handles point to: two unknowns.
    let [aa, ab, bb, ra, rb] = [0, 0, 0, 0, 0];
    times.forEach((t, i) => {
      const u = parameterAt(s, t);
      const v = 1 - u;
      const p = 3 * v * v * u;
      const q = 3 * v * u * u;
      const r = nth(values, i) - (a.from + (q + u * u * u) * (b.to - a.from));
      aa += p * p;
      ab += p * q;
      bb += q * q;
      ra += p * r;
      rb += q * r;
    });
    const det = aa * bb - ab * ab;
    if (Math.abs(det) > 1e-14) {
      s.leave = { share: x1, value: (ra * bb - rb * ab) / det };
      s.arrive = { share: x2, value: (rb * aa - ra * ab) / det };
    }
    return { segment: s, error: worst(s) };
  };
  let best = solve(1 / 3, 1 / 3);
  let [x, y] = [1 / 3, 1 / 3];
  for (let reach = 0.24; reach > 0.003; reach /= 2) {
    for (const [dx, dy] of [
      [-1, 0],
      [1, 0],
      [0, -1],
      [0, 1],
      [-1, -1],
      [1, 1],
    ] as const) {
      const [nx, ny] = [Math.min(0.95, Math.max(0.05, x + dx * reach)), Math.min(0.95, Math.max(0.05, y + dy * reach))];
      const next = solve(nx, ny);
      if (next.error >= best.error) continue;
      best = next;
      [x, y] = [nx, ny];
    }
  }
  return best;
}

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
