import { nth } from "../math/packed";
import { dot, type Triple } from "../math/triple";
import { type Body, candidateLines } from "./bodies";
import { type Tolerance, WayField } from "./field";

/** A direction in which a body might come off. */
export interface Way {
  /** Unit, world. */
  direction: Triple;
  /** Way to go until it is past everything that it is in or behind, mm. */
  clear: number;
  /** Way that is free before it meets something; null when it meets nothing. */
  travel: number | null;
  /** What it meets, by number in the list of the others, the most first. */
  blockers: number[];
}

export const TOLERANCE: Tolerance = { contact: 0.15 };

/**
 * The ways in which a body comes off, best first: free ones before blocked ones, then the shortest way out, where a
 * way along the body's own axis counts as shorter. @param others everything that stays
 */
export function waysOff(
  body: Body,
  others: readonly Body[],
  tolerance: Tolerance = TOLERANCE,
  lines = candidateLines([body, ...others.filter((o) => near(body, o))], 8),
): Way[] {
  const bodies = [body, ...others];
  const out: (Way & { score: number })[] = [];
  for (const line of lines) {
    const field = new WayField(bodies, line, tolerance);
    for (const sense of [0, 1] as const) {
      const reach = Math.max(0, ...field.reaches(0, sense).values());
      const direction = line.map((v) => (sense === 0 ? v : -v) || 0) as Triple;
      const free = field.isFree(0, sense);
      const along = body.axes.length > 0 && Math.abs(dot(body.axes[0]?.direction ?? [0, 0, 0], line)) > 0.9998;
      const clear = Math.max(reach, extent(body, direction) * 0.5);
      const travel = field.travel(0, sense);
      out.push({
        direction,
        clear,
        travel: free ? null : travel,
        blockers: field.blockers(0, sense).map((b) => b.body - 1),
        score: free ? clear * (along ? 0.6 : 1) : 1e9 - travel,
      });
    }
  }
  return out.sort((a, b) => a.score - b.score).map(({ score: _, ...way }) => way);
}

/** Length of a body's box along a direction, mm. */
export function extent(b: Body, d: readonly number[]): number {
  return [0, 1, 2].reduce((sum, k) => sum + Math.abs(nth(d, k)) * (nth(b.max, k) - nth(b.min, k)), 0);
}

/**
 * How far a body must go along a direction until it is past another, or past all of them, mm. 0 where it is so
 * already.
 */
export function clearOf(
  body: Body,
  others: readonly Body[],
  direction: Triple,
  tolerance: Tolerance = TOLERANCE,
): number {
  return Math.max(0, ...new WayField([body, ...others], direction, tolerance).reaches(0, 0).values());
}

const near = (a: Body, b: Body) =>
  [0, 1, 2].every((k) => nth(a.min, k) - 1 <= nth(b.max, k) && nth(b.min, k) - 1 <= nth(a.max, k));
