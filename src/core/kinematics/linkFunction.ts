/**
 * Where a mechanism can be: all the way round, between two driver departures (degrees, home inside), or not even at
 * home.
 */
export type Reach = { kind: "full" } | { kind: "part"; from: number; to: number } | { kind: "none" };

/**
 * A link worked out for one assembly: departures in, departures out (degrees or mm). The same numbers whatever was
 * asked before; allocates nothing.
 */
export interface LinkFunction {
  follower(driver: number): number;
  /** Writes the motion of the piece between the two (rod, coupler) as a 4x4 in the assembly's frame at home. */
  middle?(driver: number, out: Float64Array, o: number): void;
  reach?(): Reach;
}

/**
 * Finds where a condition that holds at 0 stops holding, going either way up to half a turn, by steps and bisection.
 */
export function reachOf(holds: (driver: number) => boolean): Reach {
  if (!holds(0)) return { kind: "none" };
  const edge = (sign: number): number | null => {
    for (let d = 0.25; d <= 180; d += 0.25) {
      if (holds(sign * d)) continue;
      let inside = d - 0.25;
      let outside = d;
      for (let i = 0; i < 50; i++) {
        const mid = (inside + outside) / 2;
        if (holds(sign * mid)) inside = mid;
        else outside = mid;
      }
      return sign * inside;
    }
    return null;
  };
  const to = edge(1);
  const from = edge(-1);
  if (to === null && from === null) return { kind: "full" };
  return { kind: "part", from: from ?? -180, to: to ?? 180 };
}

/**
 * The driver departure that gives a wanted follower departure, nearest to `near`; null where there is none within
 * `span` either way. Scans for a change of sign, then bisects to the last bit.
 */
export function invertLink(f: LinkFunction, wanted: number, near: number, span: number): number | null {
  const g = (d: number) => f.follower(d) - wanted;
  const here = g(near);
  if (here === 0) return near;
  const STEPS = 2000;
  const step = span / STEPS;
  const bisect = (a: number, b: number) => {
    let lo = a;
    let hi = b;
    const s = Math.sign(g(lo));
    for (let i = 0; i < 80; i++) {
      const mid = (lo + hi) / 2;
      if (Math.sign(g(mid)) === s) lo = mid;
      else hi = mid;
    }
    return (lo + hi) / 2;
  };
  let up = here;
  let down = here;
  for (let i = 1; i <= STEPS; i++) {
    const u = g(near + i * step);
    if (u === 0) return near + i * step;
    if (Math.sign(u) !== Math.sign(up)) return bisect(near + (i - 1) * step, near + i * step);
    up = u;
    const d = g(near - i * step);
    if (d === 0) return near - i * step;
    if (Math.sign(d) !== Math.sign(down)) return bisect(near - i * step, near - (i - 1) * step);
    down = d;
  }
  return null;
}
