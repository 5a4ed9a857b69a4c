import { nth } from "../math/packed";
import type { LinkFunction } from "./linkFunction";

/**
 * A smooth curve through points that never overshoots them: monotone cubic Hermite (Fritsch and Carlson, 1980, with
 * the harmonic-mean tangents of Fritsch and Butland, 1984). With a period it repeats, adding the rise of one period
 * each time round, so that a closed cam repeats and an open one goes on climbing; without, it stays at its end values.
 */
export class CamCurve implements LinkFunction {
  private readonly x: Float64Array;
  private readonly y: Float64Array;
  private readonly slope: Float64Array;
  private readonly rise: number;
  private readonly home: number;

  constructor(
    points: readonly (readonly [number, number])[],
    private readonly period: number | null,
  ) {
    const list = points.map((p) => [p[0], p[1]] as [number, number]);
    const first = list[0] as [number, number];
    const last = list.at(-1) as [number, number];
    // A period that ends where the points do takes the last point as the start of the next time round.
    if (period !== null && last[0] < first[0] + period - 1e-9) list.push([first[0] + period, first[1]]);
    this.rise = period === null ? 0 : (list.at(-1) as [number, number])[1] - first[1];
    const n = list.length;
    this.x = Float64Array.from(list, (p) => p[0]);
    this.y = Float64Array.from(list, (p) => p[1]);
    this.slope = new Float64Array(n);
    const h = (i: number) => nth(this.x, i + 1) - nth(this.x, i);
    const d = (i: number) => (nth(this.y, i + 1) - nth(this.y, i)) / h(i);
    const inner = (h0: number, h1: number, d0: number, d1: number) => {
      if (d0 * d1 <= 0) return 0;
      const w0 = 2 * h1 + h0;
      const w1 = h1 + 2 * h0;
      return (w0 + w1) / (w0 / d0 + w1 / d1);
    };
    for (let i = 1; i < n - 1; i++) this.slope[i] = inner(h(i - 1), h(i), d(i - 1), d(i));
    if (period !== null) {
      const s = inner(h(n - 2), h(0), d(n - 2), d(0));
      this.slope[0] = s;
      this.slope[n - 1] = s;
    }
    this.home = this.at(0);
  }

  private at(driver: number): number {
    const { x, y, slope, period } = this;
    const n = x.length;
    let u = driver;
    let lift = 0;
    if (period !== null) {
      const turns = Math.floor((u - nth(x, 0)) / period);
      u -= turns * period;
      lift = turns * this.rise;
    }
    if (u <= nth(x, 0)) return nth(y, 0) + lift;
    if (u >= nth(x, n - 1)) return nth(y, n - 1) + lift;
    let lo = 0;
    let hi = n - 1;
    while (hi - lo > 1) {
      const mid = (lo + hi) >> 1;
      if (nth(x, mid) <= u) lo = mid;
      else hi = mid;
    }
    const h = nth(x, hi) - nth(x, lo);
    const t = (u - nth(x, lo)) / h;
    const t2 = t * t;
    const t3 = t2 * t;
    return (
      lift +
      (2 * t3 - 3 * t2 + 1) * nth(y, lo) +
      (t3 - 2 * t2 + t) * h * nth(slope, lo) +
      (3 * t2 - 2 * t3) * nth(y, hi) +
      (t3 - t2) * h * nth(slope, hi)
    );
  }

  /** Departure of the follower: the curve's value less its value at home, so that home is home. */
  follower(driver: number): number {
    return this.at(driver) - this.home;
  }
}
