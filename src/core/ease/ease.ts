/**
 * Eases: how a transition spends its time, as a function from progress in time (0..1) to progress in value (0..1).
 *
 * A *soft* ease has two numbers: the share of the transition spent getting going and the share spent coming to rest.
 * In between the speed is steady (a trapezoid of speed, so position is made of two parabolas and a line). 0 and 0 is
 * steady speed throughout. A *curve* ease is the cubic Bezier from (0,0) to (1,1) with two control points.
 */
export type Ease =
  | { kind: "soft"; start: number; stop: number }
  | { kind: "curve"; x1: number; y1: number; x2: number; y2: number };

export const EASE_DEFAULT: Ease = { kind: "soft", start: 0.3, stop: 0.4 };
export const EASE_STEADY: Ease = { kind: "soft", start: 0, stop: 0 };

/** The ease of the same transition run backwards. Twice is the same as not at all. */
export function reversedEase(ease: Ease): Ease {
  if (ease.kind === "soft") return { kind: "soft", start: ease.stop, stop: ease.start };
  return { kind: "curve", x1: 1 - ease.x2, y1: 1 - ease.y2, x2: 1 - ease.x1, y2: 1 - ease.y1 };
}

/** Doubles a compiled ease takes: kind, then four parameters. Layout: [kind, a, b, c, d]. */
export const EASE_STRIDE = 5;
const KIND_SOFT = 0;
const KIND_CURVE = 1;

/** Writes an ease as {@link EASE_STRIDE} numbers. Soft shares that add up to more than 1 are scaled down to 1. */
export function writeEase(ease: Ease, out: Float64Array | number[], offset: number): void {
  if (ease.kind === "soft") {
    let start = Math.min(1, Math.max(0, ease.start));
    let stop = Math.min(1, Math.max(0, ease.stop));
    const sum = start + stop;
    if (sum > 1) {
      start /= sum;
      stop /= sum;
    }
    out[offset] = KIND_SOFT;
    out[offset + 1] = start;
    out[offset + 2] = stop;
    out[offset + 3] = 1 / (1 - start / 2 - stop / 2);
    out[offset + 4] = 0;
    return;
  }
  out[offset] = KIND_CURVE;
  out[offset + 1] = Math.min(1, Math.max(0, ease.x1));
  out[offset + 2] = ease.y1;
  out[offset + 3] = Math.min(1, Math.max(0, ease.x2));
  out[offset + 4] = ease.y2;
}

/** Value of a written ease at `u` in 0..1. Exactly 0 at 0 and 1 at 1. */
export function easeAt(table: ArrayLike<number>, offset: number, u: number): number {
  if (u <= 0) return 0;
  if (u >= 1) return 1;
  const a = table[offset + 1] as number;
  const b = table[offset + 2] as number;
  const c = table[offset + 3] as number;
  if (table[offset] === KIND_SOFT) {
    if (u < a) return (c * u * u) / (2 * a);
    const left = 1 - u;
    if (left < b) return 1 - (c * left * left) / (2 * b);
    return c * (u - a / 2);
  }
  return bezierY(a, b, c, table[offset + 4] as number, u);
}

/** Speed (change of value share per share of time) of a written ease at `u`, one-sided inside 0..1. */
export function easeSpeedAt(table: ArrayLike<number>, offset: number, u: number): number {
  const a = table[offset + 1] as number;
  const b = table[offset + 2] as number;
  const c = table[offset + 3] as number;
  if (table[offset] === KIND_SOFT) {
    if (u < a) return (c * u) / a;
    if (1 - u < b) return (c * (1 - u)) / b;
    return c;
  }
  const d = table[offset + 4] as number;
  const t = bezierParameter(a, c, u);
  const v = 1 - t;
  const dx = 3 * v * v * a + 6 * v * t * (c - a) + 3 * t * t * (1 - c);
  if (dx > 1e-6) return (3 * v * v * b + 6 * v * t * (d - b) + 3 * t * t * (1 - d)) / dx;
  // Upright just there (or a handle without length): told from a little way off, inside.
  const h = 1e-4;
  const lo = Math.max(0, u - h);
  const hi = Math.min(1, u + h);
  return (easeAt(table, offset, hi) - easeAt(table, offset, lo)) / (hi - lo);
}

/** Value of an ease at `u`; for tests and pictures. The compiled path uses {@link easeAt}. */
export function evaluateEase(ease: Ease, u: number): number {
  const table = [0, 0, 0, 0, 0];
  writeEase(ease, table, 0);
  return easeAt(table, 0, u);
}

function bezierAxis(p1: number, p2: number, t: number): number {
  const s = 1 - t;
  return 3 * s * s * t * p1 + 3 * s * t * t * p2 + t * t * t;
}

/** Bezier y at a given x. */
const bezierY = (x1: number, y1: number, x2: number, y2: number, x: number): number =>
  bezierAxis(y1, y2, bezierParameter(x1, x2, x));

/**
 * The parameter at a given x. x1 and x2 are in 0..1, so x(t) never runs backwards and has one solution. Newton's method
 * with bisection as the safe bound (a bare Newton step stalls where x'(t) is 0, e.g. x1 = 1, x2 = 0).
 */
function bezierParameter(x1: number, x2: number, x: number): number {
  let lo = 0;
  let hi = 1;
  let t = x;
  for (let i = 0; i < 60; i++) {
    const dx = bezierAxis(x1, x2, t) - x;
    if (Math.abs(dx) < 1e-15) break;
    if (dx > 0) hi = t;
    else lo = t;
    const s = 1 - t;
    const slope = 3 * s * s * x1 + 6 * s * t * (x2 - x1) + 3 * t * t * (1 - x2);
    const next = slope > 1e-9 ? t - dx / slope : -1;
    t = next > lo && next < hi ? next : (lo + hi) / 2;
    if (hi - lo < 1e-16) break;
  }
  return t;
}
