import { nth } from "../math/packed";
import type { Triple } from "../math/triple";

/** Points of a surface that are looked at: corners, middles of triangles and places along edges, about this many. */
const MOST_POINTS = 700;

/**
 * Places on a surface by which it is told whether it comes into another, xyz. Long edges are looked at along their
 * length, or a shaft that runs through a hub would be seen at its ends only.
 */
export function surfacePoints(
  positions: ArrayLike<number>,
  indices: ArrayLike<number>,
  min: ArrayLike<number>,
  max: ArrayLike<number>,
): Float64Array {
  const found: number[] = [];
  const p = positions;
  const triangles = Math.floor(indices.length / 3);
  const every = Math.max(1, Math.ceil((triangles * 2) / MOST_POINTS));
  const apart = Math.max(0.5, Math.hypot(...[0, 1, 2].map((k) => nth(max, k) - nth(min, k))) / 24);
  let budget = MOST_POINTS;
  for (let t = 0; t < triangles; t += every) {
    const [a, b, c] = [0, 1, 2].map((k) => 3 * nth(indices, 3 * t + k)) as Triple;
    found.push(nth(p, a), nth(p, a + 1), nth(p, a + 2));
    const length = Math.hypot(...[0, 1, 2].map((k) => nth(p, b + k) - nth(p, a + k)));
    const steps = Math.min(24, Math.floor(length / apart));
    for (let s = 1; s < steps && budget > 0; s++, budget--)
      for (let k = 0; k < 3; k++) found.push(nth(p, a + k) + ((nth(p, b + k) - nth(p, a + k)) * s) / steps);
    for (let k = 0; k < 3; k++) found.push((nth(p, a + k) + nth(p, b + k) + nth(p, c + k)) / 3);
  }
  return Float64Array.from(found);
}
