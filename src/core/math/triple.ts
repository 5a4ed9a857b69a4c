/** Points and directions in space: three plain numbers, x y z. Nothing here changes its arguments. */
export type Triple = [number, number, number];
export type ReadonlyTriple = readonly [number, number, number];

export const dot = (a: ReadonlyTriple, b: ReadonlyTriple): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: ReadonlyTriple, b: ReadonlyTriple): Triple => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const plus = (a: ReadonlyTriple, b: ReadonlyTriple): Triple => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const minus = (a: ReadonlyTriple, b: ReadonlyTriple): Triple => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const times = (a: ReadonlyTriple, factor: number): Triple => [a[0] * factor, a[1] * factor, a[2] * factor];
/** `a` and `factor` times `b`. */
export const shifted = (a: ReadonlyTriple, b: ReadonlyTriple, factor: number): Triple => [
  a[0] + b[0] * factor,
  a[1] + b[1] * factor,
  a[2] + b[2] * factor,
];
export const lengthOf = (a: ReadonlyTriple): number => Math.hypot(a[0], a[1], a[2]);
export const distance = (a: ReadonlyTriple, b: ReadonlyTriple): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/** Unit vector along `a`; null when it has no length. */
export function normalised(a: ReadonlyTriple): Triple | null {
  const n = lengthOf(a);
  return n > 1e-12 ? [a[0] / n, a[1] / n, a[2] / n] : null;
}

/** Of unit length, with noise beside an exact axis removed; nil stays nil. */
export function unit(a: ReadonlyTriple): Triple {
  const n = lengthOf(a) || 1;
  const clean = (v: number) => (Math.abs(v / n) < 1e-9 ? 0 : v / n);
  const u: Triple = [clean(a[0]), clean(a[1]), clean(a[2])];
  const m = lengthOf(u) || 1;
  return [u[0] / m, u[1] / m, u[2] / m];
}
