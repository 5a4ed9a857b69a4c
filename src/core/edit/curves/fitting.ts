import { parameterAt, type Segment, segmentAt } from "../../curve/segment";
import { nth } from "../../math/packed";

/** Moments at which a fit is made, and those at which it is looked at; the second are also where others are between. */
const FIT_AT = 61;
const LOOK_AT = 251;
/** Where shares are tried around the best so far. */
const AROUND = [
  [-1, 0],
  [1, 0],
  [0, -1],
  [0, 1],
  [-1, -1],
  [1, 1],
] as const;
/** See `useless` below. */
const GAIN = 8;

type Row = Float64Array<ArrayBuffer>;

/**
 * One cubic in place of a stretch of a curve, as close to it as can be: the lengths of its handles and where they point
 * are the least squares over times spread through the stretch (Schneider's way of fitting, Graphics Gems 1990, with
 * time as the given parameter).
 * @param value the curve, by ticks @param t0 @param t1 where the stretch begins and ends, ticks
 * @param enough a distance at which it need not be looked for a closer one
 * @param useless a distance beyond which the fit is of no use: it is given up as soon as it is that far from it that
 * the search, which seldom gains more than a factor of {@link GAIN} after its first round, will hardly get there
 * @returns the segment, and the largest distance in value from the curve itself, looked for four times as closely; one
 * beyond `useless` where that is passed
 */
export function fittedTo(
  value: (t: number) => number,
  t0: number,
  t1: number,
  from: number,
  to: number,
  enough = 0,
  useless = Number.POSITIVE_INFINITY,
): { segment: Segment; error: number } {
  const length = t1 - t0;
  const spread = (count: number, i: number) => t0 + (length * (i + 1)) / (count + 1);
  const [p, q, rest, values] = [0, 1, 2, 3].map(() => new Float64Array(FIT_AT)) as [Row, Row, Row, Row];
  for (let i = 0; i < FIT_AT; i++) values[i] = value(spread(FIT_AT, i));
  const trial: Segment = { t0, t1, from, to, leave: { share: 0, value: 0 }, arrive: { share: 0, value: 0 } };
  /** The best there is with given shares, and its distance; one that is no better than `limit` is not looked at whole. */
  const solve = (x1: number, x2: number, limit: number): { leave: number; arrive: number; error: number } => {
    trial.leave.share = x1;
    trial.arrive.share = x2;
    // With given shares the value is linear in what the handles point to: two unknowns.
    let [aa, ab, bb, ra, rb] = [0, 0, 0, 0, 0];
    for (let i = 0; i < FIT_AT; i++) {
      const u = parameterAt(trial, spread(FIT_AT, i));
      const v = 1 - u;
      const pi = 3 * v * v * u;
      const qi = 3 * v * u * u;
      const ri = nth(values, i) - (from + (qi + u * u * u) * (to - from));
      p[i] = pi;
      q[i] = qi;
      rest[i] = ri;
      aa += pi * pi;
      ab += pi * qi;
      bb += qi * qi;
      ra += pi * ri;
      rb += qi * ri;
    }
    const det = aa * bb - ab * ab;
    const alone = Math.abs(det) <= 1e-14;
    const leave = alone ? 0 : (ra * bb - rb * ab) / det;
    const arrive = alone ? 0 : (rb * aa - ra * ab) / det;
    let error = 0;
    for (let i = 0; i < FIT_AT && error < limit; i++)
      error = Math.max(error, Math.abs(nth(rest, i) - nth(p, i) * leave - nth(q, i) * arrive));
    return { leave, arrive, error };
  };
  let best = solve(1 / 3, 1 / 3, Number.POSITIVE_INFINITY);
  let [x, y] = [1 / 3, 1 / 3];
  for (let reach = 0.24; reach > 0.003 && best.error > enough; reach /= 2) {
    for (const [dx, dy] of AROUND) {
      const [nx, ny] = [Math.min(0.95, Math.max(0.05, x + dx * reach)), Math.min(0.95, Math.max(0.05, y + dy * reach))];
      const next = solve(nx, ny, best.error);
      if (next.error >= best.error) continue;
      best = next;
      [x, y] = [nx, ny];
    }
    if (best.error > GAIN * useless) break;
  }
  const segment: Segment = {
    ...{ t0, t1, from, to },
    leave: { share: x, value: best.leave },
    arrive: { share: y, value: best.arrive },
  };
  let { error } = best;
  for (let i = 0; i < LOOK_AT && error <= useless; i++) {
    const t = spread(LOOK_AT, i);
    error = Math.max(error, Math.abs(segmentAt(segment, t) - value(t)));
  }
  return { segment, error };
}
