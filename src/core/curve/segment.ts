import type { Handle, Shape } from "../document/keys";
import { type Ease, writeEase } from "../ease/ease";
import { nth } from "../math/packed";

/**
 * One piece of a channel's curve: from a value at a time to another, as a cubic Bezier whose inner points are given
 * as handles. Times in ticks, values in the channel's unit. Because each handle's share of the time lies in 0..1 the
 * curve is a function of time whatever the handles point to.
 */
export interface Segment {
  t0: number;
  t1: number;
  from: number;
  to: number;
  leave: Handle;
  arrive: Handle;
}

/** Values of a segment's four points, its start being 0. */
const rise = (s: Segment): [number, number, number, number] => [
  0,
  s.leave.value,
  s.to - s.from + s.arrive.value,
  s.to - s.from,
];

/** A soft ease has no handles; what is closest to it: as steep at both ends, and through the same middle. */
export function handlesOf(ease: Ease, from: number, to: number): { leave: Handle; arrive: Handle } {
  const d = to - from;
  if (ease.kind === "curve")
    return { leave: { share: ease.x1, value: ease.y1 * d }, arrive: { share: 1 - ease.x2, value: (ease.y2 - 1) * d } };
  const table = [0, 0, 0, 0, 0];
  writeEase(ease, table, 0);
  // A level handle as long as the time spent getting going makes nearly the same parabola; none keeps the line.
  const level = (share: number) => Math.min(1, share * 1.05);
  const start = nth(table, 1);
  const stop = nth(table, 2);
  return {
    leave: start > 0 ? { share: level(start), value: 0 } : { share: 1 / 3, value: (nth(table, 3) * d) / 3 },
    arrive: stop > 0 ? { share: level(stop), value: 0 } : { share: 1 / 3, value: (-nth(table, 3) * d) / 3 },
  };
}

/**
 * A segment split at its middle or near it, at a whole tick where it has any inside, into two that are each strictly
 * of some rise.
 */
function halves(s: Segment): Segment[] {
  const scale = Math.max(Math.abs(s.leave.value), Math.abs(s.arrive.value));
  const cut = (u: number): [Segment, Segment] => {
    const tick = Math.round(s.t0 + timeShare(s, u) * (s.t1 - s.t0));
    if (tick <= s.t0 || tick >= s.t1) return divided(s, u);
    const [a, b] = dividedAt(s, tick);
    return [
      { ...a, t1: tick },
      { ...b, t0: tick },
    ];
  };
  for (const u of [0.5, 0.35, 0.65]) {
    const [a, b] = cut(u);
    if (Math.abs(a.to - a.from) > 1e-3 * scale && Math.abs(b.to - b.from) > 1e-3 * scale) return [a, b];
  }
  return cut(0.5);
}

/** Handles that point nowhere, for a segment that keeps its value. */
const LEVEL: Handle = { share: 1 / 3, value: 0 };

/**
 * Segments as they are compiled: each with an ease in the unit square. A segment that rises and falls back to where
 * it began has no unit square, so it becomes two.
 */
export function easedParts(s: Segment): { t0: number; t1: number; from: number; to: number; ease: Ease }[] {
  const d = s.to - s.from;
  const reach = Math.max(Math.abs(s.leave.value), Math.abs(s.arrive.value));
  if (reach < 1e-12 && Math.abs(d) < 1e-12)
    return [{ t0: s.t0, t1: s.t1, from: s.from, to: s.to, ease: { kind: "soft", start: 0, stop: 0 } }];
  if (Math.abs(d) >= 1e-4 * reach) return [part(s)];
  const parts = halves(s).filter((h) => Math.abs(h.to - h.from) >= 1e-9 * reach);
  return parts.length > 0
    ? parts.map(part)
    : [{ t0: s.t0, t1: s.t1, from: s.from, to: s.to, ease: { kind: "soft", start: 0, stop: 0 } }];
}

function part(s: Segment): { t0: number; t1: number; from: number; to: number; ease: Ease } {
  const d = s.to - s.from;
  return {
    t0: s.t0,
    t1: s.t1,
    from: s.from,
    to: s.to,
    ease: {
      kind: "curve",
      x1: s.leave.share,
      y1: s.leave.value / d,
      x2: 1 - s.arrive.share,
      y2: 1 + s.arrive.value / d,
    },
  };
}

/** Share of a segment's time at a parameter of the curve, both 0..1. */
function timeShare(s: Segment, u: number): number {
  const v = 1 - u;
  return 3 * v * v * u * s.leave.share + 3 * v * u * u * (1 - s.arrive.share) + u * u * u;
}

/** The curve's parameter at a time (ticks), by bisection and Newton's method together. */
export function parameterAt(s: Segment, t: number): number {
  if (s.t1 <= s.t0) return 1;
  const x = Math.min(1, Math.max(0, (t - s.t0) / (s.t1 - s.t0)));
  let lo = 0;
  let hi = 1;
  let u = x;
  for (let i = 0; i < 80; i++) {
    const f = timeShare(s, u) - x;
    if (Math.abs(f) < 1e-15) break;
    if (f > 0) hi = u;
    else lo = u;
    const v = 1 - u;
    const slope =
      3 * v * v * s.leave.share + 6 * v * u * (1 - s.arrive.share - s.leave.share) + 3 * u * u * s.arrive.share;
    const next = slope > 1e-9 ? u - f / slope : -1;
    u = next > lo && next < hi ? next : (lo + hi) / 2;
    if (hi - lo < 1e-16) break;
  }
  return u;
}

/** Value of a segment at a time; held beyond its ends. */
export function segmentAt(s: Segment, t: number): number {
  if (t <= s.t0 && s.t1 > s.t0) return s.from;
  if (t >= s.t1) return s.to;
  const u = parameterAt(s, t);
  const v = 1 - u;
  const [, b, c, d] = rise(s);
  return s.from + 3 * v * v * u * b + 3 * v * u * u * c + u * u * u * d;
}

/**
 * Divides a segment at a parameter of its curve, exactly (de Casteljau's construction).
 * @returns the two pieces; together they are the same curve
 */
export function divided(s: Segment, u: number): [Segment, Segment] {
  const length = s.t1 - s.t0;
  const x = [0, s.leave.share, 1 - s.arrive.share, 1] as const;
  const y = rise(s);
  const mix = (a: number, b: number) => a + (b - a) * u;
  const cut = (p: readonly [number, number, number, number]) => {
    const ab = mix(p[0], p[1]);
    const bc = mix(p[1], p[2]);
    const cd = mix(p[2], p[3]);
    const abc = mix(ab, bc);
    const bcd = mix(bc, cd);
    return { ab, abc, at: mix(abc, bcd), bcd, cd };
  };
  const cx = cut(x);
  const cy = cut(y);
  const mid = s.t0 + cx.at * length;
  const value = s.from + cy.at;
  const share = (part: number, whole: number) => (whole > 0 ? Math.min(1, Math.max(0, part / whole)) : 0);
  return [
    {
      t0: s.t0,
      t1: mid,
      from: s.from,
      to: value,
      leave: { share: share(cx.ab, cx.at), value: cy.ab },
      arrive: { share: share(cx.at - cx.abc, cx.at), value: cy.abc - cy.at },
    },
    {
      t0: mid,
      t1: s.t1,
      from: value,
      to: s.to,
      leave: { share: share(cx.bcd - cx.at, 1 - cx.at), value: cy.bcd - cy.at },
      arrive: { share: share(1 - cx.cd, 1 - cx.at), value: cy.cd - y[3] },
    },
  ];
}

/** Divides a segment at a time; exact but for the rounding of the time to a tick, which the caller may ask for. */
export const dividedAt = (s: Segment, t: number): [Segment, Segment] => divided(s, parameterAt(s, t));

/** Slope at a segment's start or end, value per tick, one-sided. */
export function endSlope(s: Segment, end: "start" | "end"): number {
  const length = s.t1 - s.t0;
  if (length <= 0) return 0;
  const h = end === "start" ? s.leave : s.arrive;
  const sign = end === "start" ? 1 : -1;
  if (h.share > 1e-9) return (sign * h.value) / (h.share * length);
  // A handle without length leaves the direction to the other one.
  const other = end === "start" ? s.arrive : s.leave;
  const left = 1 - other.share;
  if (h.value !== 0 || left < 1e-9) return (s.to - s.from) / length;
  return (s.to - s.from + sign * other.value) / (left * length);
}

/** What is known about the neighbours of a segment that runs into others without a rest. */
export interface Neighbours {
  /** Slope of the straight line through the piece before, value per tick, and its length; null after a rest. */
  before: { slope: number; length: number } | null;
  after: { slope: number; length: number } | null;
}

/** Slope where two pieces meet so that nothing overshoots: Fritsch and Butland's weighted harmonic mean (1984). */
function calmSlope(a: { slope: number; length: number }, b: { slope: number; length: number }): number {
  if (a.slope * b.slope <= 0) return 0;
  const w0 = 2 * b.length + a.length;
  const w1 = b.length + 2 * a.length;
  return (w0 + w1) / (w0 / a.slope + w1 / b.slope);
}

/** Slope where two pieces meet, of the parabola through the three arrivals (Bessel's); it may overshoot. */
const freeSlope = (a: { slope: number; length: number }, b: { slope: number; length: number }): number =>
  (a.slope * b.length + b.slope * a.length) / (a.length + b.length);

/** The handles that a shape means; for one that lets the arrival's ease be, those closest to it. */
export function shapeHandles(
  shape: Shape | undefined,
  ease: Ease,
  from: number,
  to: number,
  length: number,
  near: Neighbours,
): { leave: Handle; arrive: Handle } {
  if (!shape) return handlesOf(ease, from, to);
  if (shape.kind === "handles") return { leave: shape.leave, arrive: shape.arrive };
  if (shape.kind === "hold") return { leave: LEVEL, arrive: LEVEL };
  const d = to - from;
  if (shape.kind === "straight")
    return { leave: { share: 1 / 3, value: d / 3 }, arrive: { share: 1 / 3, value: -d / 3 } };
  const own = { slope: length > 0 ? d / length : 0, length };
  const meet = shape.kind === "smooth" ? calmSlope : freeSlope;
  const start = near.before ? meet(near.before, own) : 0;
  const end = near.after ? meet(own, near.after) : 0;
  return { leave: { share: 1 / 3, value: (start * length) / 3 }, arrive: { share: 1 / 3, value: (-end * length) / 3 } };
}
