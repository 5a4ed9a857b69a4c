import { nth } from "../math/packed";

/**
 * A vector over time, sampled so finely that between two samples it is as good as known: in stretches within which it
 * is smooth. At a stretch's end stands what is reached there from the left, one moment before the next begins.
 */
export interface Signal {
  /** 3 for a place or a size, 4 for a rotation (a quaternion, of one sign all through). */
  size: number;
  /** Times of each stretch's samples, s. */
  stretches: readonly { times: Float64Array; values: Float64Array }[];
}

/** Keys of a channel as glTF 2.0 has them: for cubic ones in-tangent, value and out-tangent a key. */
export interface Keys {
  mode: "STEP" | "LINEAR" | "CUBICSPLINE";
  size: number;
  times: number[];
  values: number[];
}

/** Two times that a file can still tell apart, s: its numbers are of single precision. */
export const JUMP = 1e-4;

/** How far two vectors are apart, in the tolerance's unit: mm for places, degrees for rotations. */
export type Distance = (a: ArrayLike<number>, i: number, b: ArrayLike<number>) => number;

export const between: Distance = (a, i, b) => {
  let sum = 0;
  for (let k = 0; k < 3; k++) sum += ((a[i + k] as number) - (b[k] as number)) ** 2;
  return Math.sqrt(sum);
};
export const turnedBetween: Distance = (a, i, b) => {
  // Half the angle's sine from the way between the ends of two unit vectors: exact for small ones.
  let sum = 0;
  for (let k = 0; k < 4; k++) sum += ((a[i + k] as number) - (b[k] as number)) ** 2;
  return (4 * Math.asin(Math.min(1, Math.sqrt(sum) / 2)) * 180) / Math.PI;
};

/** All samples in a row, with what each changes by before and after it. */
interface Line {
  size: number;
  count: number;
  times: Float64Array;
  values: Float64Array;
  /** Speeds from the left and from the right, a second. */
  before: Float64Array;
  after: Float64Array;
  /** 1 where the signal jumps after a sample. */
  jumps: Uint8Array;
}

/** Puts stretches one after another; where one ends as the next begins the two samples are one. */
function lineOf(
  { size, stretches }: Signal,
  same: (a: ArrayLike<number>, i: number, b: ArrayLike<number>) => boolean,
): Line {
  const most = stretches.reduce((sum, s) => sum + s.times.length, 0);
  const line: Line = {
    ...{ size, count: 0, times: new Float64Array(most), values: new Float64Array(size * most) },
    ...{ before: new Float64Array(size * most), after: new Float64Array(size * most), jumps: new Uint8Array(most) },
  };
  for (const { times, values } of stretches) {
    const speeds = speedsOf(times, values, size);
    let from = 0;
    if (line.count > 0) {
      const last = line.count - 1;
      const first = values.subarray(0, size);
      if (same(line.values, size * last, first)) {
        // It goes on, perhaps at another speed.
        line.after.set(speeds.subarray(0, size), size * last);
        line.times[last] = nth(times, 0);
        from = 1;
      } else line.jumps[last] = 1;
    }
    for (let i = from; i < times.length; i++) {
      const n = line.count++;
      line.times[n] = nth(times, i);
      for (let k = 0; k < size; k++) {
        line.values[size * n + k] = nth(values, size * i + k);
        line.before[size * n + k] = nth(speeds, size * i + k);
        line.after[size * n + k] = nth(speeds, size * i + k);
      }
    }
  }
  return line;
}

/** Speeds at samples by differences of second order, at the ends from within. */
function speedsOf(times: Float64Array, values: Float64Array, size: number): Float64Array {
  const n = times.length;
  const out = new Float64Array(size * n);
  if (n < 2) return out;
  for (let i = 0; i < n; i++) {
    // The three samples that the parabola goes through.
    const a = Math.max(0, Math.min(n - 3, i - 1));
    const [i0, i1, i2] = n < 3 ? [0, 1, 1] : [a, a + 1, a + 2];
    const [t0, t1, t2, t] = [nth(times, i0), nth(times, i1), nth(times, i2), nth(times, i)];
    for (let k = 0; k < size; k++) {
      const [v0, v1, v2] = [i0, i1, i2].map((j) => nth(values, size * j + k)) as [number, number, number];
      out[size * i + k] =
        n < 3
          ? (v1 - v0) / (t1 - t0)
          : (v0 * (2 * t - t1 - t2)) / ((t0 - t1) * (t0 - t2)) +
            (v1 * (2 * t - t0 - t2)) / ((t1 - t0) * (t1 - t2)) +
            (v2 * (2 * t - t0 - t1)) / ((t2 - t0) * (t2 - t1));
    }
  }
  return out;
}

/** What keys at two samples give at a share of the time between, into `out`. */
type Blend = (line: Line, i: number, j: number, share: number, out: Float64Array) => void;

const hermite: Blend = ({ size, times, values, before, after }, i, j, u, out) => {
  const h = (times[j] as number) - (times[i] as number);
  const [u2, u3] = [u * u, u * u * u];
  const [a, b, c, d] = [2 * u3 - 3 * u2 + 1, (u3 - 2 * u2 + u) * h, -2 * u3 + 3 * u2, (u3 - u2) * h];
  for (let k = 0; k < size; k++)
    out[k] =
      a * (values[size * i + k] as number) +
      b * (after[size * i + k] as number) +
      c * (values[size * j + k] as number) +
      d * (before[size * j + k] as number);
  if (size === 4) unit(out);
};
const straight: Blend = ({ size, values }, i, j, u, out) => {
  if (size !== 4) {
    for (let k = 0; k < size; k++)
      out[k] = (values[size * i + k] as number) * (1 - u) + (values[size * j + k] as number) * u;
    return;
  }
  // The short way round, as glTF has it.
  let dot = 0;
  for (let k = 0; k < 4; k++) dot += (values[4 * i + k] as number) * (values[4 * j + k] as number);
  const angle = Math.acos(Math.min(1, Math.abs(dot)));
  const sine = Math.sin(angle);
  const [a, b] = sine < 1e-9 ? [1 - u, u] : [Math.sin((1 - u) * angle) / sine, Math.sin(u * angle) / sine];
  for (let k = 0; k < 4; k++)
    out[k] = a * (values[4 * i + k] as number) + Math.sign(dot || 1) * b * (values[4 * j + k] as number);
  unit(out);
};

function unit(q: Float64Array): void {
  let sum = 0;
  for (let k = 0; k < 4; k++) sum += (q[k] as number) ** 2;
  const n = 1 / Math.sqrt(sum || 1);
  for (let k = 0; k < 4; k++) q[k] = (q[k] as number) * n;
}

/** Samples at which keys stand so that between them nothing is off by more; null when there would be over `most`. */
function placed(line: Line, blend: Blend, distance: Distance, tolerance: number, most: number): number[] | null {
  const out = [0];
  const value = new Float64Array(line.size);
  const fits = (i: number, j: number): boolean => {
    const [from, to] = [line.times[i] as number, line.times[j] as number];
    for (let n = i + 1; n < j; n++) {
      blend(line, i, j, ((line.times[n] as number) - from) / (to - from), value);
      if (distance(line.values, line.size * n, value) > tolerance) return false;
    }
    // Between the last samples as well, where a speed that is off would show.
    return true;
  };
  let i = 0;
  while (i < line.count - 1) {
    if (out.length > most) return null;
    if (line.jumps[i]) {
      out.push(++i);
      continue;
    }
    let end = i + 1;
    while (end < line.count - 1 && !line.jumps[end]) end++;
    // As far as it will reach: first in growing strides, then halving what is left.
    let good = i + 1;
    let stride = 1;
    let bad = end + 1;
    while (good < end) {
      const next = Math.min(end, good + stride);
      if (!fits(i, next)) {
        bad = next;
        break;
      }
      good = next;
      stride *= 2;
    }
    while (bad - good > 1 && good < end) {
      const middle = (good + bad) >> 1;
      if (fits(i, middle)) good = middle;
      else bad = middle;
    }
    out.push(good);
    i = good;
  }
  return out;
}

/** Keys of a channel, and cubic ones for where all must be of one kind. */
export interface Fitted {
  keys: Keys;
  cubic: Keys;
}

/**
 * The fewest keys, or nearly, by which a channel comes within a tolerance of a signal at every moment: in steps,
 * straight or cubic (Hermite), whichever is least to store. Keys stand as far apart as they can, one after another.
 */
export function fitKeys(signal: Signal, distance: Distance, tolerance: number): Fitted {
  const line = lineOf(signal, (a, i, b) => distance(a, i, b) <= 0.1 * tolerance);
  const { size } = line;
  let still = true;
  let steps = true;
  for (let n = 1; n < line.count; n++) {
    const before = line.values.subarray(size * (n - 1), size * n);
    if (distance(line.values, size * n, before) > 1e-9 && !line.jumps[n - 1]) steps = false;
    if (distance(line.values, size * n, line.values) > 0.1 * tolerance) still = false;
  }
  if (still || steps || line.count < 2) {
    const at = [0];
    if (!still) for (let n = 1; n < line.count; n++) if (line.jumps[n - 1]) at.push(n);
    const keys = written(line, at, "STEP");
    return { keys, cubic: asCubic(keys) };
  }
  // Speeds are known by samples, and samples lie apart: a little is kept for that.
  const within = 0.9 * tolerance;
  const places = placed(line, hermite, distance, within, Number.POSITIVE_INFINITY) ?? [0];
  const cubic = written(line, places, "CUBICSPLINE");
  // A cubic key is three numbers in place of one.
  const linear = placed(line, straight, distance, within, 3 * places.length);
  return { keys: linear ? written(line, linear, "LINEAR") : cubic, cubic };
}

function written(line: Line, at: readonly number[], mode: Keys["mode"]): Keys {
  const { size } = line;
  const out: Keys = { mode, size, times: [], values: [] };
  for (const n of at) {
    // A jump needs two times that can be told apart.
    out.times.push(line.jumps[n] && mode !== "STEP" ? nth(line.times, n) - JUMP : nth(line.times, n));
    if (mode === "CUBICSPLINE") for (let k = 0; k < size; k++) out.values.push(nth(line.before, size * n + k));
    // A moment before a jump it has not come quite as far.
    const back = line.jumps[n] && mode !== "STEP" ? JUMP : 0;
    for (let k = 0; k < size; k++)
      out.values.push(nth(line.values, size * n + k) - back * nth(line.before, size * n + k));
    if (mode === "CUBICSPLINE") for (let k = 0; k < size; k++) out.values.push(nth(line.after, size * n + k));
  }
  // Between a jump's two keys a cubic would swing: straight from one to the other.
  if (mode === "CUBICSPLINE")
    at.forEach((n, i) => {
      if (!line.jumps[n] || i + 1 >= at.length) return;
      for (let k = 0; k < size; k++) {
        const slope =
          (nth(out.values, 3 * size * (i + 1) + size + k) - nth(out.values, 3 * size * i + size + k)) / JUMP;
        out.values[3 * size * i + 2 * size + k] = slope;
        out.values[3 * size * (i + 1) + k] = slope;
      }
    });
  return out;
}

/** Keys in steps as cubic ones that give the same but for the moment of a jump. */
function asCubic({ size, times, values }: Keys): Keys {
  const out: Keys = { mode: "CUBICSPLINE", size, times: [], values: [] };
  const zero = new Array<number>(size).fill(0);
  const value = (i: number) => values.slice(size * i, size * (i + 1));
  times.forEach((t, i) => {
    const now = value(i);
    if (i === 0) {
      out.times.push(t);
      out.values.push(...zero, ...now, ...zero);
      return;
    }
    // What was until then stays until just before.
    const was = value(i - 1);
    const rise = now.map((v, k) => (v - (was[k] as number)) / JUMP);
    out.times.push(t - JUMP, t);
    out.values.push(...zero, ...was, ...rise, ...rise, ...now, ...zero);
  });
  return out;
}

/** Keys one after another, each from a time of its own, s; of one kind all through. */
export function joined(list: readonly { at: number; fitted: Fitted }[]): Keys {
  const modes = new Set(list.filter((l) => l.fitted.keys.times.length > 1).map((l) => l.fitted.keys.mode));
  const [only] = modes;
  const mode: Keys["mode"] = modes.size === 0 ? "STEP" : modes.size === 1 && only ? only : "CUBICSPLINE";
  const size = list[0]?.fitted.keys.size ?? 3;
  const out: Keys = { mode, size, times: [], values: [] };
  const width = mode === "CUBICSPLINE" ? 3 * size : size;
  const middle = mode === "CUBICSPLINE" ? size : 0;
  const turn = size === 4;
  for (const { at, fitted } of list) {
    const own = mode === "CUBICSPLINE" ? fitted.cubic : fitted.keys;
    const ended = out.times.length - 1;
    // A rotation and its opposite are the same: all of it goes on with the sign that was.
    const sign = turn && ended >= 0 && dotOf(out.values, width * ended + middle, own.values, middle) < 0 ? -1 : 1;
    own.times.forEach((t, i) => {
      const key = own.values.slice(width * i, width * (i + 1)).map((v) => sign * v);
      const last = out.times.length - 1;
      if (last < 0 || i > 0) {
        out.times.push(at + t);
        out.values.push(...key);
        return;
      }
      const was = out.values.slice(width * last + middle, width * last + middle + size);
      const same = was.every((v, k) => Math.abs(v - (key[middle + k] as number)) < 1e-7);
      const meets = at + t - nth(out.times, last) < 1.5 * JUMP;
      if (meets && same) {
        // It arrives as the one before does, and leaves as the next.
        if (middle > 0) out.values.splice(width * last + 2 * size, size, ...key.slice(2 * size));
        return;
      }
      if (meets && mode !== "STEP") out.times[last] = at + t - JUMP;
      if (!meets && middle > 0) {
        // It stood until here.
        out.values.fill(0, width * last + 2 * size, width * (last + 1));
        key.fill(0, 0, size);
      }
      if (!meets && !same && mode !== "STEP") {
        out.times.push(at + t - JUMP);
        const zero = new Array<number>(middle).fill(0);
        out.values.push(...zero, ...was, ...zero);
      }
      out.times.push(at + t);
      out.values.push(...key);
    });
  }
  return out;
}

function dotOf(a: readonly number[], i: number, b: readonly number[], j: number): number {
  let sum = 0;
  for (let k = 0; k < 4; k++) sum += nth(a, i + k) * nth(b, j + k);
  return sum;
}

/** The value of keys at a time, as glTF 2.0 has it: for looking at what was made. Rotations are of length 1. */
export function valueAt(keys: Keys, time: number, out: number[] = []): number[] {
  const { mode, size, times, values } = keys;
  const width = mode === "CUBICSPLINE" ? 3 * size : size;
  const middle = mode === "CUBICSPLINE" ? size : 0;
  let i = 0;
  while (i + 1 < times.length && nth(times, i + 1) <= time) i++;
  const at = (n: number, k: number) => nth(values, width * n + middle + k);
  const j = Math.min(i + 1, times.length - 1);
  const h = nth(times, j) - nth(times, i);
  const u = h > 0 ? Math.max(0, Math.min(1, (time - nth(times, i)) / h)) : 0;
  if (mode === "STEP" || h <= 0 || u === 0) {
    for (let k = 0; k < size; k++) out[k] = at(i, k);
    return out;
  }
  if (mode === "LINEAR" && size === 4) {
    let dot = 0;
    for (let k = 0; k < 4; k++) dot += at(i, k) * at(j, k);
    const angle = Math.acos(Math.min(1, Math.abs(dot)));
    const sine = Math.sin(angle);
    const [a, b] = sine < 1e-9 ? [1 - u, u] : [Math.sin((1 - u) * angle) / sine, Math.sin(u * angle) / sine];
    for (let k = 0; k < 4; k++) out[k] = a * at(i, k) + (dot < 0 ? -b : b) * at(j, k);
  } else if (mode === "LINEAR") {
    for (let k = 0; k < size; k++) out[k] = at(i, k) * (1 - u) + at(j, k) * u;
  } else {
    const [u2, u3] = [u * u, u * u * u];
    for (let k = 0; k < size; k++)
      out[k] =
        (2 * u3 - 3 * u2 + 1) * at(i, k) +
        (u3 - 2 * u2 + u) * h * nth(values, width * i + 2 * size + k) +
        (-2 * u3 + 3 * u2) * at(j, k) +
        (u3 - u2) * h * nth(values, width * j + k);
  }
  if (size === 4) {
    const n = Math.hypot(...out) || 1;
    for (let k = 0; k < 4; k++) out[k] = (out[k] as number) / n;
  }
  return out;
}
