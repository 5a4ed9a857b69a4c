import { invertedAffine, multiplied, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import {
  cross,
  distance,
  dot,
  lengthOf,
  minus,
  normalised,
  plus,
  type ReadonlyTriple,
  shifted,
  type Triple,
  times,
} from "../math/triple";

type Matrices = readonly (readonly number[])[];

/** Turns below this are none, degrees: in all, and from one moment to the next. */
const TURNED = 3;
const STEP_DEG = 0.05;
/** An axis is one as long as it stays this near to itself: degrees, and a share of the size of what turns. */
const AXIS_DEG = 3;
const AXIS_SHARE = 0.02;
/** Steps that turn less than this tell their axis badly. */
const TOLD_DEG = 0.5;
/** An axis that passes the middle of what turns within this share of its size is its own: it spins about itself. */
const OWN_AXIS = 0.3;

/** A stretch of turning about one axis. */
export interface Turning {
  axis: { point: Triple; direction: Triple };
  /** Degrees turned about it, right-handed, at moments from its beginning to its end; 0 at the moment nearest to the picture's. */
  turned: number[];
}

/** What a rigid motion comes to as seen from one of its moments. */
export interface Travel {
  /** The turning that is next to the moment; null where there is none, or it happens elsewhere. */
  turning: Turning | null;
  /** Where the middle of what moves is carried, without what the turning does with it. */
  path: Triple[];
}

/**
 * The screw that leads from one rigid motion to another (Chasles 1830): a direction, a point of its axis, and degrees.
 * Null where it hardly turns.
 */
function screwOf(step: readonly number[]): { direction: Triple; point: Triple; degrees: number } | null {
  const e = (r: number, c: number) => nth(step, 4 * c + r);
  const v: Triple = [e(2, 1) - e(1, 2), e(0, 2) - e(2, 0), e(1, 0) - e(0, 1)];
  // The skew part is twice the sine long; the trace has the cosine.
  const angle = Math.atan2(lengthOf(v) / 2, (e(0, 0) + e(1, 1) + e(2, 2) - 1) / 2);
  const direction = normalised(v);
  if (!direction || (angle * 180) / Math.PI < STEP_DEG) return null;
  const t: Triple = [nth(step, 12), nth(step, 13), nth(step, 14)];
  const across = shifted(t, direction, -dot(t, direction));
  const point = times(plus(across, times(cross(direction, across), 1 / Math.tan(angle / 2))), 0.5);
  return { direction, point, degrees: (angle * 180) / Math.PI };
}

/**
 * What is done from a moment of a motion on, or, at its last moment, was done before it.
 * @param motion since that moment, so that it is there the identity @param middle of what moves, then, world mm
 * @param size from the middle to the farthest of it, mm
 */
export function travelFrom(motion: Matrices, moment: number, middle: ReadonlyTriple, size: number): Travel {
  const arrives = moment >= motion.length - 1;
  // Away from the moment, whichever way that is in time.
  const away = arrives ? [...motion].reverse() : motion.slice(moment);
  const middles = away.map((m) => transformPoint(m, middle));
  const run = turningRun(away, middles, size, arrives);
  const path: Triple[] = [[...middle]];
  for (let k = 1; k < away.length; k++) {
    let by = minus(middles[k] as Triple, middles[k - 1] as Triple);
    // What turns carries its middle round; what is screwed also goes along the axis.
    if (run && k > run.first && k <= run.last) by = times(run.direction, dot(by, run.direction));
    path.push(plus(path[k - 1] as Triple, by));
  }
  const turning = run?.turning ?? null;
  if (turning && arrives) turning.turned.reverse();
  if (arrives) path.reverse();
  return { turning, path };
}

/** The first stretch of turning on the way from a moment, if it is about where what turns is at that moment. */
function turningRun(
  away: Matrices,
  middles: readonly Triple[],
  size: number,
  arrives: boolean,
): { first: number; last: number; direction: Triple; turning: Turning } | null {
  let first = -1;
  let last = -1;
  let axis: { point: Triple; direction: Triple } | null = null;
  const turned = [0];
  for (let k = 1; k < away.length; k++) {
    const screw = screwOf(multiplied(away[k] as number[], invertedAffine(away[k - 1] as number[])));
    if (!screw) {
      if (axis) turned.push(nth(turned, turned.length - 1));
      continue;
    }
    // The point of the axis that is level with what moves.
    const level = shifted(screw.point, screw.direction, dot(minus(middles[k] as Triple, screw.point), screw.direction));
    if (!axis) {
      axis = { point: level, direction: screw.direction };
      first = k - 1;
    }
    const cos = dot(screw.direction, axis.direction);
    const off = minus(level, axis.point);
    const beside = lengthOf(shifted(off, axis.direction, -dot(off, axis.direction)));
    const other = Math.abs(cos) < Math.cos((AXIS_DEG * Math.PI) / 180) || beside > AXIS_SHARE * size;
    if (other && screw.degrees > TOLD_DEG) break;
    // A slow beginning tells its axis badly; a faster step tells it better.
    if (last < 0 || turned.every((v) => Math.abs(v) < TOLD_DEG))
      axis = { point: level, direction: cos < 0 ? times(screw.direction, -1) : screw.direction };
    turned.push(nth(turned, turned.length - 1) + Math.sign(cos) * screw.degrees);
    last = k;
  }
  if (!axis || last < 0) return null;
  turned.length = Math.min(turned.length, last - first + 1);
  if (Math.max(...turned) - Math.min(...turned) < TURNED) return null;
  const slid = minus(middles[first] as Triple, middles[0] as Triple);
  const here = { direction: axis.direction, point: minus(axis.point, slid) };
  const across = lengthOf(shifted(slid, axis.direction, -dot(slid, axis.direction)));
  if (across > AXIS_SHARE * size) {
    // It goes elsewhere first: only what is yet to spin about itself there is told here.
    const spins = distance(axis.point, middles[first] as Triple) < OWN_AXIS * size;
    if (arrives || !spins) return null;
  }
  return { first, last, direction: axis.direction, turning: { axis: here, turned } };
}
