import type { Shape } from "../document/keys";

/** A value that must be had at a time. Times grow along a list. */
export interface Knot {
  at: number;
  value: number;
}

/**
 * Slopes (value per tick) at knots so that cubic pieces between them run through all of them with continuous speed,
 * stand still at both ends and never overshoot: the weighted harmonic mean of Fritsch and Butland (SIAM J. Sci. Stat.
 * Comput. 5, 1984), nil where the direction turns.
 */
export function flowSlopes(knots: readonly Knot[]): number[] {
  const n = knots.length;
  const slopes = new Array<number>(n).fill(0);
  for (let i = 1; i < n - 1; i++) {
    const [a, b, c] = [knots[i - 1] as Knot, knots[i] as Knot, knots[i + 1] as Knot];
    const h0 = b.at - a.at;
    const h1 = c.at - b.at;
    const d0 = (b.value - a.value) / h0;
    const d1 = (c.value - b.value) / h1;
    if (d0 * d1 <= 0) continue;
    const w0 = 2 * h1 + h0;
    const w1 = h1 + 2 * h0;
    slopes[i] = (w0 + w1) / (w0 / d0 + w1 / d1);
  }
  return slopes;
}

/**
 * The handles of a piece from one knot to the next with given slopes at its ends, each a third long: exactly the
 * Hermite cubic of those slopes, also where the value does not change.
 */
export function flowHandles(from: Knot, to: Knot, slopeFrom: number, slopeTo: number): Shape {
  const third = (to.at - from.at) / 3;
  return {
    kind: "handles",
    leave: { share: 1 / 3, value: slopeFrom * third },
    arrive: { share: 1 / 3, value: 0 - slopeTo * third },
  };
}
