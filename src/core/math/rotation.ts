import type { Numbers } from "./mat4";
import type { ReadonlyTriple, Triple } from "./triple";

/** A unit quaternion, x y z w. */
export type Quaternion = [number, number, number, number];

/** An angle brought into 0 up to 360; exact, and without a division for what lies there already. */
function within(deg: number): number {
  if (deg >= 0 && deg < 360) return deg;
  const r = deg % 360;
  return r < 0 ? r + 360 : r;
}

/**
 * Sine and cosine of an angle in degrees, exact at every multiple of 90 (Math.cos(PI/2) is 6e-17, which would tilt
 * a part that turned by exactly a quarter).
 */
export function sinDeg(deg: number): number {
  return sinOf(within(deg));
}
/** See {@link sinDeg}. */
export function cosDeg(deg: number): number {
  return cosOf(within(deg));
}

function sinOf(r: number): number {
  if (r === 0 || r === 180) return 0;
  if (r === 90) return 1;
  if (r === 270) return -1;
  return Math.sin((r * Math.PI) / 180);
}
function cosOf(r: number): number {
  if (r === 0) return 1;
  if (r === 180) return -1;
  if (r === 90 || r === 270) return 0;
  return Math.cos((r * Math.PI) / 180);
}

/** Writes the 3x3 rotation about a unit axis (right-hand rule, degrees) as 9 numbers, column-major. */
export function axisRotation3(out: Numbers, x: number, y: number, z: number, deg: number): void {
  const r = within(deg);
  const c = cosOf(r);
  const s = sinOf(r);
  const t = 1 - c;
  out[0] = t * x * x + c;
  out[1] = t * x * y + s * z;
  out[2] = t * x * z - s * y;
  out[3] = t * x * y - s * z;
  out[4] = t * y * y + c;
  out[5] = t * y * z + s * x;
  out[6] = t * x * z + s * y;
  out[7] = t * y * z - s * x;
  out[8] = t * z * z + c;
}

/** Writes the 3x3 rotation of a unit quaternion as 9 numbers, column-major. */
export function quaternionRotation3(out: Numbers, x: number, y: number, z: number, w: number): void {
  const xx = x * x,
    yy = y * y,
    zz = z * z;
  out[0] = 1 - 2 * (yy + zz);
  out[1] = 2 * (x * y + z * w);
  out[2] = 2 * (x * z - y * w);
  out[3] = 2 * (x * y - z * w);
  out[4] = 1 - 2 * (xx + zz);
  out[5] = 2 * (y * z + x * w);
  out[6] = 2 * (x * z + y * w);
  out[7] = 2 * (y * z - x * w);
  out[8] = 1 - 2 * (xx + yy);
}

/** out = a * b for 3x3 column-major rotations; `out` may be `a` or `b`. */
export function multiply3(out: Numbers, a: ArrayLike<number>, b: ArrayLike<number>): void {
  const a0 = a[0] as number,
    a1 = a[1] as number,
    a2 = a[2] as number,
    a3 = a[3] as number,
    a4 = a[4] as number;
  const a5 = a[5] as number,
    a6 = a[6] as number,
    a7 = a[7] as number,
    a8 = a[8] as number;
  const b0 = b[0] as number,
    b1 = b[1] as number,
    b2 = b[2] as number,
    b3 = b[3] as number,
    b4 = b[4] as number;
  const b5 = b[5] as number,
    b6 = b[6] as number,
    b7 = b[7] as number,
    b8 = b[8] as number;
  out[0] = a0 * b0 + a3 * b1 + a6 * b2;
  out[1] = a1 * b0 + a4 * b1 + a7 * b2;
  out[2] = a2 * b0 + a5 * b1 + a8 * b2;
  out[3] = a0 * b3 + a3 * b4 + a6 * b5;
  out[4] = a1 * b3 + a4 * b4 + a7 * b5;
  out[5] = a2 * b3 + a5 * b4 + a8 * b5;
  out[6] = a0 * b6 + a3 * b7 + a6 * b8;
  out[7] = a1 * b6 + a4 * b7 + a7 * b8;
  out[8] = a2 * b6 + a5 * b7 + a8 * b8;
}

/** Quaternion of a turn about a unit axis, degrees. */
export function quaternionFromAxis(axis: ReadonlyTriple, deg: number): Quaternion {
  const s = sinDeg(deg / 2);
  return [(axis[0] as number) * s, (axis[1] as number) * s, (axis[2] as number) * s, cosDeg(deg / 2)];
}

/** a * b: b turns first. */
export function multiplyQuaternion(a: readonly number[], b: readonly number[]): Quaternion {
  const [ax, ay, az, aw] = a as Quaternion;
  const [bx, by, bz, bw] = b as Quaternion;
  return [
    ax * bw + aw * bx + ay * bz - az * by,
    ay * bw + aw * by + az * bx - ax * bz,
    az * bw + aw * bz + ax * by - ay * bx,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
}

/** The opposite turn of a unit quaternion. */
export function conjugateQuaternion(q: readonly number[]): Quaternion {
  const [x, y, z, w] = q as Quaternion;
  return [-x, -y, -z, w];
}

/** Vector turned by a unit quaternion, as a new triple. */
export function rotateVector(q: readonly number[], v: readonly number[]): Triple {
  const m = new Array<number>(9).fill(0);
  quaternionRotation3(m, ...(q as Quaternion));
  const [x, y, z] = v as Triple;
  return [m[0]! * x + m[3]! * y + m[6]! * z, m[1]! * x + m[4]! * y + m[7]! * z, m[2]! * x + m[5]! * y + m[8]! * z];
}

/**
 * Blends two orientations by the shorter arc at constant angular speed (Shoemake 1985, "Animating rotation with
 * quaternion curves") and writes four numbers. Orientation is the one channel where the short way is meant: it has
 * no count of turns.
 */
export function slerp(
  out: Numbers,
  o: number,
  a: ArrayLike<number>,
  ao: number,
  b: ArrayLike<number>,
  bo: number,
  u: number,
): void {
  const ax = a[ao] as number,
    ay = a[ao + 1] as number,
    az = a[ao + 2] as number,
    aw = a[ao + 3] as number;
  let bx = b[bo] as number,
    by = b[bo + 1] as number,
    bz = b[bo + 2] as number,
    bw = b[bo + 3] as number;
  let dot = ax * bx + ay * by + az * bz + aw * bw;
  if (dot < 0) {
    dot = -dot;
    bx = -bx;
    by = -by;
    bz = -bz;
    bw = -bw;
  }
  let ka = 1 - u;
  let kb = u;
  if (dot < 0.999999) {
    const angle = Math.acos(dot);
    const inv = 1 / Math.sin(angle);
    ka = Math.sin(ka * angle) * inv;
    kb = Math.sin(kb * angle) * inv;
  }
  const x = ka * ax + kb * bx,
    y = ka * ay + kb * by,
    z = ka * az + kb * bz,
    w = ka * aw + kb * bw;
  const n = 1 / Math.sqrt(x * x + y * y + z * z + w * w);
  out[o] = x * n;
  out[o + 1] = y * n;
  out[o + 2] = z * n;
  out[o + 3] = w * n;
}

/** Unit quaternion of the rotation in a 4x4 matrix without scale (Shepperd 1978: the largest term decides). */
export function quaternionFromMatrix(m: ArrayLike<number>, o = 0): Quaternion {
  const g = (r: number, c: number) => m[o + 4 * c + r] as number;
  const trace = g(0, 0) + g(1, 1) + g(2, 2);
  let q: Quaternion;
  if (trace > 0) {
    const s = Math.sqrt(trace + 1) * 2;
    q = [(g(2, 1) - g(1, 2)) / s, (g(0, 2) - g(2, 0)) / s, (g(1, 0) - g(0, 1)) / s, s / 4];
  } else if (g(0, 0) > g(1, 1) && g(0, 0) > g(2, 2)) {
    const s = Math.sqrt(1 + g(0, 0) - g(1, 1) - g(2, 2)) * 2;
    q = [s / 4, (g(0, 1) + g(1, 0)) / s, (g(0, 2) + g(2, 0)) / s, (g(2, 1) - g(1, 2)) / s];
  } else if (g(1, 1) > g(2, 2)) {
    const s = Math.sqrt(1 + g(1, 1) - g(0, 0) - g(2, 2)) * 2;
    q = [(g(0, 1) + g(1, 0)) / s, s / 4, (g(1, 2) + g(2, 1)) / s, (g(0, 2) - g(2, 0)) / s];
  } else {
    const s = Math.sqrt(1 + g(2, 2) - g(0, 0) - g(1, 1)) * 2;
    q = [(g(0, 2) + g(2, 0)) / s, (g(1, 2) + g(2, 1)) / s, s / 4, (g(1, 0) - g(0, 1)) / s];
  }
  const n = Math.hypot(...q);
  return [q[0] / n, q[1] / n, q[2] / n, q[3] / n];
}
