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
 * The ease of a piece from one knot to the next with given slopes at its ends, as a cubic Bezier in the unit square
 * whose handles are a third long: exactly the Hermite cubic of those slopes.
 */
export function flowEase(
  from: Knot,
  to: Knot,
  slopeFrom: number,
  slopeTo: number,
): { kind: "curve"; x1: number; y1: number; x2: number; y2: number } {
  const rise = to.value - from.value;
  const share = rise === 0 ? 0 : (to.at - from.at) / (3 * rise);
  return { kind: "curve", x1: 1 / 3, y1: slopeFrom * share, x2: 2 / 3, y2: 1 - slopeTo * share };
}
