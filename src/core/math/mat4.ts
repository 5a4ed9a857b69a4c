/**
 * Flat 4x4 matrices: 16 doubles, column-major, column vectors, right-handed. `m[12..14]` is the translation in mm.
 * All functions take target and offset and allocate nothing; inputs are read before the first write, so target and
 * source may be the same.
 */
import type { Triple } from "./triple";
export type Numbers = Float64Array | number[];

/** Writes the identity. */
export function setIdentity(out: Numbers, o = 0): void {
  for (let i = 1; i < 15; i++) out[o + i] = 0;
  out[o] = 1;
  out[o + 5] = 1;
  out[o + 10] = 1;
  out[o + 15] = 1;
}

/**
 * out = a * b (b is applied first). Affine: the last row is taken as 0 0 0 1. Packed arrays only: one kind of array
 * keeps the engine's code for it short, which the frame loop lives on.
 */
export function multiplyAffine(
  out: Float64Array,
  o: number,
  a: Float64Array,
  ao: number,
  b: Float64Array,
  bo: number,
): void {
  const a0 = a[ao] as number,
    a1 = a[ao + 1] as number,
    a2 = a[ao + 2] as number;
  const a4 = a[ao + 4] as number,
    a5 = a[ao + 5] as number,
    a6 = a[ao + 6] as number;
  const a8 = a[ao + 8] as number,
    a9 = a[ao + 9] as number,
    a10 = a[ao + 10] as number;
  const a12 = a[ao + 12] as number,
    a13 = a[ao + 13] as number,
    a14 = a[ao + 14] as number;
  const b0 = b[bo] as number,
    b1 = b[bo + 1] as number,
    b2 = b[bo + 2] as number;
  const b4 = b[bo + 4] as number,
    b5 = b[bo + 5] as number,
    b6 = b[bo + 6] as number;
  const b8 = b[bo + 8] as number,
    b9 = b[bo + 9] as number,
    b10 = b[bo + 10] as number;
  const b12 = b[bo + 12] as number,
    b13 = b[bo + 13] as number,
    b14 = b[bo + 14] as number;
  out[o] = a0 * b0 + a4 * b1 + a8 * b2;
  out[o + 1] = a1 * b0 + a5 * b1 + a9 * b2;
  out[o + 2] = a2 * b0 + a6 * b1 + a10 * b2;
  out[o + 3] = 0;
  out[o + 4] = a0 * b4 + a4 * b5 + a8 * b6;
  out[o + 5] = a1 * b4 + a5 * b5 + a9 * b6;
  out[o + 6] = a2 * b4 + a6 * b5 + a10 * b6;
  out[o + 7] = 0;
  out[o + 8] = a0 * b8 + a4 * b9 + a8 * b10;
  out[o + 9] = a1 * b8 + a5 * b9 + a9 * b10;
  out[o + 10] = a2 * b8 + a6 * b9 + a10 * b10;
  out[o + 11] = 0;
  out[o + 12] = a0 * b12 + a4 * b13 + a8 * b14 + a12;
  out[o + 13] = a1 * b12 + a5 * b13 + a9 * b14 + a13;
  out[o + 14] = a2 * b12 + a6 * b13 + a10 * b14 + a14;
  out[o + 15] = 1;
}

/** m = m * (a shift by b[bo + 12..14]): {@link multiplyAffine} in place, where b only shifts. */
export function multiplyShift(m: Float64Array, mo: number, b: Float64Array, bo: number): void {
  const x = b[bo + 12] as number;
  const y = b[bo + 13] as number;
  const z = b[bo + 14] as number;
  m[mo + 12] = (m[mo] as number) * x + (m[mo + 4] as number) * y + (m[mo + 8] as number) * z + (m[mo + 12] as number);
  m[mo + 13] =
    (m[mo + 1] as number) * x + (m[mo + 5] as number) * y + (m[mo + 9] as number) * z + (m[mo + 13] as number);
  m[mo + 14] =
    (m[mo + 2] as number) * x + (m[mo + 6] as number) * y + (m[mo + 10] as number) * z + (m[mo + 14] as number);
}

/** a * b as a new array of 16 numbers. */
export function multiplied(a: ArrayLike<number>, b: ArrayLike<number>): number[] {
  const out = new Float64Array(16);
  multiplyAffine(out, 0, Float64Array.from(a), 0, Float64Array.from(b), 0);
  return Array.from(out);
}

/** Inverse of an affine matrix. @throws RangeError when it cannot be inverted. */
export function invertedAffine(m: ArrayLike<number>, mo = 0): number[] {
  const g = (i: number) => m[mo + i] as number;
  const c00 = g(5) * g(10) - g(6) * g(9);
  const c01 = g(6) * g(8) - g(4) * g(10);
  const c02 = g(4) * g(9) - g(5) * g(8);
  const det = g(0) * c00 + g(1) * c01 + g(2) * c02;
  if (!Number.isFinite(det) || det === 0) throw new RangeError("A transform of size zero cannot be inverted.");
  const d = 1 / det;
  const r = [
    c00 * d,
    (g(2) * g(9) - g(1) * g(10)) * d,
    (g(1) * g(6) - g(2) * g(5)) * d,
    c01 * d,
    (g(0) * g(10) - g(2) * g(8)) * d,
    (g(2) * g(4) - g(0) * g(6)) * d,
    c02 * d,
    (g(1) * g(8) - g(0) * g(9)) * d,
    (g(0) * g(5) - g(1) * g(4)) * d,
  ] as const;
  const x = g(12),
    y = g(13),
    z = g(14);
  return [
    r[0],
    r[1],
    r[2],
    0,
    r[3],
    r[4],
    r[5],
    0,
    r[6],
    r[7],
    r[8],
    0,
    -(r[0] * x + r[3] * y + r[6] * z),
    -(r[1] * x + r[4] * y + r[7] * z),
    -(r[2] * x + r[5] * y + r[8] * z),
    1,
  ];
}

/** Point times matrix (column vector), as a new triple. */
export function transformPoint(m: ArrayLike<number>, p: ArrayLike<number>, mo = 0): Triple {
  const x = p[0] as number,
    y = p[1] as number,
    z = p[2] as number;
  const g = (i: number) => m[mo + i] as number;
  return [
    g(0) * x + g(4) * y + g(8) * z + g(12),
    g(1) * x + g(5) * y + g(9) * z + g(13),
    g(2) * x + g(6) * y + g(10) * z + g(14),
  ];
}

/** Direction times the linear part of a matrix, as a new triple; not normalised. */
export function transformDirection(m: ArrayLike<number>, p: ArrayLike<number>, mo = 0): Triple {
  const x = p[0] as number,
    y = p[1] as number,
    z = p[2] as number;
  const g = (i: number) => m[mo + i] as number;
  return [g(0) * x + g(4) * y + g(8) * z, g(1) * x + g(5) * y + g(9) * z, g(2) * x + g(6) * y + g(10) * z];
}
