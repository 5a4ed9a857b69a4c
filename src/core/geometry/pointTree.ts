import { nth } from "../math/packed";

/** Points of a leaf, at most. */
const LEAF = 6;

/**
 * Points in a tree of balls: of node n, `balls` holds middle xyz and radius at 4n; `first` and `count` say which
 * points it holds; its children are n + 1 and `right[n]` (0 for a leaf).
 */
export interface PointTree {
  points: Float64Array;
  balls: Float64Array;
  first: Int32Array;
  count: Int32Array;
  right: Int32Array;
}

/** Sorts points (xyz) into a tree of balls, halved along their longest side again and again. */
export function pointTree(points: Float64Array): PointTree {
  const n = points.length / 3;
  const order = Array.from({ length: n }, (_, i) => i);
  const balls: number[] = [];
  const first: number[] = [];
  const count: number[] = [];
  const right: number[] = [];
  const make = (from: number, to: number): number => {
    const at = first.length;
    const lo = [Infinity, Infinity, Infinity];
    const hi = [-Infinity, -Infinity, -Infinity];
    for (let i = from; i < to; i++)
      for (let k = 0; k < 3; k++) {
        const v = nth(points, 3 * nth(order, i) + k);
        lo[k] = Math.min(nth(lo, k), v);
        hi[k] = Math.max(nth(hi, k), v);
      }
    const middle = [0, 1, 2].map((k) => (nth(lo, k) + nth(hi, k)) / 2);
    let r2 = 0;
    for (let i = from; i < to; i++)
      r2 = Math.max(
        r2,
        [0, 1, 2].reduce((sum, k) => sum + (nth(points, 3 * nth(order, i) + k) - nth(middle, k)) ** 2, 0),
      );
    balls.push(...middle, Math.sqrt(r2));
    first.push(from);
    count.push(to - from);
    right.push(0);
    if (to - from > LEAF) {
      const sides = [0, 1, 2].map((k) => nth(hi, k) - nth(lo, k));
      const axis = sides.indexOf(Math.max(...sides));
      const part = order.slice(from, to).sort((a, b) => nth(points, 3 * a + axis) - nth(points, 3 * b + axis));
      part.forEach((p, i) => {
        order[from + i] = p;
      });
      const middleAt = (from + to) >> 1;
      make(from, middleAt);
      right[at] = make(middleAt, to);
    }
    return at;
  };
  if (n > 0) make(0, n);
  const sorted = new Float64Array(points.length);
  order.forEach((p, i) => {
    sorted.set(points.subarray(3 * p, 3 * p + 3), 3 * i);
  });
  return {
    points: sorted,
    balls: Float64Array.from(balls),
    first: Int32Array.from(first),
    count: Int32Array.from(count),
    right: Int32Array.from(right),
  };
}
