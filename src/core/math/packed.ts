import type { Triple } from "./triple";

/*
 * Reading packed numbers. An index beyond the end is a fault of layout (a stride, an offset), and must not travel on as
 * a NaN that hides parts: it is thrown where it happens. The loops of each frame (pose, matrices, way fields) read
 * their arrays directly instead, as a shared function would see too many kinds of arrays there to be compiled well.
 */

/** The number at a place. @throws RangeError when there is none */
export function nth(values: ArrayLike<number>, i: number): number {
  const value = values[i];
  if (value === undefined) throw new RangeError(`Number ${i} of a list of ${values.length} was asked for.`);
  return value;
}

/** Three numbers that lie side by side, from a place on. @throws RangeError when they are not all there */
export function tripleAt(values: ArrayLike<number>, i = 0): Triple {
  return [nth(values, i), nth(values, i + 1), nth(values, i + 2)];
}
