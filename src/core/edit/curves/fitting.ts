import { parameterAt, type Segment, segmentAt } from "../../curve/segment";
import { nth } from "../../math/packed";

/** Moments at which a fit is made, and those at which it is looked at; the second are also where others are between. */
const FIT_AT = 61;
const LOOK_AT = 251;

/**
 * One cubic in place of a stretch of a curve, as close to it as can be: the lengths of its handles and where they point
 * are the least squares over times spread through the stretch (Schneider's way of fitting, Graphics Gems 1990, with
 * time as the given parameter).
 * @param value the curve, by ticks @param t0 @param t1 where the stretch begins and ends, ticks
 * @param enough a distance at which it need not be looked for a closer one
 * @returns the segment, and the largest distance in value from the curve itself, looked for four times as closely
 */
export function fittedTo(
  value: (t: number) => number,
  t0: number,
  t1: number,
  from: number,
  to: number,
  enough = 0,
): { segment: Segment; error: number } {
  const length = t1 - t0;
  const spread = (count: number) => Array.from({ length: count }, (_, i) => t0 + (length * (i + 1)) / (count + 1));
  const times = spread(FIT_AT);
  const values = times.map(value);
  const worst = (s: Segment, at: readonly number[], is: readonly number[]) =>
    at.reduce((most, t, i) => Math.max(most, Math.abs(segmentAt(s, t) - nth(is, i))), 0);
  const solve = (x1: number, x2: number): { segment: Segment; error: number } => {
    const s: Segment = { t0, t1, from, to, leave: { share: x1, value: 0 }, arrive: { share: x2, value: 0 } };
    // With given shares the value is linear in what the handles point to: two unknowns.
    let [aa, ab, bb, ra, rb] = [0, 0, 0, 0, 0];
    times.forEach((t, i) => {
      const u = parameterAt(s, t);
      const v = 1 - u;
      const p = 3 * v * v * u;
      const q = 3 * v * u * u;
      const r = nth(values, i) - (from + (q + u * u * u) * (to - from));
      aa += p * p;
      ab += p * q;
      bb += q * q;
      ra += p * r;
      rb += q * r;
    });
    const det = aa * bb - ab * ab;
    if (Math.abs(det) > 1e-14) {
      s.leave = { share: x1, value: (ra * bb - rb * ab) / det };
      s.arrive = { share: x2, value: (rb * aa - ra * ab) / det };
    }
    return { segment: s, error: worst(s, times, values) };
  };
  let best = solve(1 / 3, 1 / 3);
  let [x, y] = [1 / 3, 1 / 3];
  for (let reach = 0.24; reach > 0.003 && best.error > enough; reach /= 2) {
    for (const [dx, dy] of [
      [-1, 0],
      [1, 0],
      [0, -1],
      [0, 1],
      [-1, -1],
      [1, 1],
    ] as const) {
      const [nx, ny] = [Math.min(0.95, Math.max(0.05, x + dx * reach)), Math.min(0.95, Math.max(0.05, y + dy * reach))];
      const next = solve(nx, ny);
      if (next.error >= best.error) continue;
      best = next;
      [x, y] = [nx, ny];
    }
  }
  const looked = spread(LOOK_AT);
  return { segment: best.segment, error: worst(best.segment, looked, looked.map(value)) };
}
