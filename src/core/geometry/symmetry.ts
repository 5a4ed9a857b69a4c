import { Vector3 } from "three";
import type { MeshBVH } from "three-mesh-bvh";
import { nth } from "../math/packed";
import { cross, dot, normalised, plus, shifted, type Triple, times } from "../math/triple";
import type { Geometry } from "./geometry";

/** Highest order that is looked for: a wheel with more teeth turns no faster than its teeth are seen. */
export const MOST_ORDER = 200;
const SAMPLES = 720;
/** Share of what is not round about the axis that must look the same: a keyway or a mark does not count. */
const SAME = 0.9;
/** Angles that divide no turn, by which all that is round is told. */
const ODD_ANGLES = [0.2360679775, 0.0901699437, 0.4142135624, 0.3183098862, 0.1458980338];

interface Sample {
  p: Triple;
  weight: number;
}

/** The middle of a surface by area, own frame. */
export function middleOf(g: Geometry): Triple {
  const sum: Triple = [0, 0, 0];
  let whole = 0;
  eachTriangle(g, (a, b, c, area) => {
    for (let k = 0; k < 3; k++) sum[k] = nth(sum, k) + (area * (nth(a, k) + nth(b, k) + nth(c, k))) / 3;
    whole += area;
  });
  return whole > 0 ? times(sum, 1 / whole) : sum;
}

function eachTriangle(g: Geometry, tell: (a: Triple, b: Triple, c: Triple, area: number) => void): void {
  const { positions: p, indices } = g;
  const corner = (i: number): Triple => [nth(p, 3 * i), nth(p, 3 * i + 1), nth(p, 3 * i + 2)];
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const [a, b, c] = [corner(nth(indices, t)), corner(nth(indices, t + 1)), corner(nth(indices, t + 2))];
    const n = cross([b[0] - a[0], b[1] - a[1], b[2] - a[2]], [c[0] - a[0], c[1] - a[1], c[2] - a[2]]);
    tell(a, b, c, Math.hypot(...n) / 2);
  }
}

/** Second moments of a surface about its middle by area: xx, xy, xz, yy, yz, zz. */
export function secondMoments(g: Geometry): number[] {
  const middle = middleOf(g);
  const m = [0, 0, 0, 0, 0, 0];
  eachTriangle(g, (a, b, c, area) => {
    // Exact for a triangle: by the middles of its sides.
    for (const [p, q] of [
      [a, b],
      [b, c],
      [c, a],
    ] as const) {
      const d = [0, 1, 2].map((k) => (nth(p, k) + nth(q, k)) / 2 - nth(middle, k));
      let n = 0;
      for (let i = 0; i < 3; i++)
        for (let j = i; j < 3; j++, n++) m[n] = nth(m, n) + (area / 3) * nth(d, i) * nth(d, j);
    }
  });
  return m;
}

/**
 * Whether a direction is a main axis of second moments, to two hundredths: about any other axis nothing looks the same
 * after less than a whole turn.
 */
export function isMainAxis(m: readonly number[], direction: Triple): boolean {
  const d = normalised(direction);
  if (!d) return false;
  const [xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0] = m;
  const t: Triple = [
    xx * d[0] + xy * d[1] + xz * d[2],
    xy * d[0] + yy * d[1] + yz * d[2],
    xz * d[0] + yz * d[1] + zz * d[2],
  ];
  const off = shifted(t, d, -dot(t, d));
  return Math.hypot(...off) <= 0.02 * (xx + yy + zz);
}

/** Places spread evenly over a surface, the same every time. */
function samplesOf(g: Geometry): Sample[] {
  let whole = 0;
  eachTriangle(g, (_a, _b, _c, area) => {
    whole += area;
  });
  const out: Sample[] = [];
  const each = whole / SAMPLES;
  let owed = each / 2;
  let n = 0;
  eachTriangle(g, (a, b, c, area) => {
    for (let left = area; left >= owed; owed = each) {
      left -= owed;
      area = left;
      // A sequence of low discrepancy in the triangle (R2, folded over its diagonal).
      n++;
      let u = (n * 0.7548776662) % 1;
      let v = (n * 0.569840291) % 1;
      if (u + v > 1) [u, v] = [1 - u, 1 - v];
      out.push({ p: plus(plus(times(a, 1 - u - v), times(b, u)), times(c, v)), weight: 1 });
    }
    owed -= area;
  });
  return out;
}

/**
 * The order of a mesh's rotational symmetry about an axis through its middle: places of the surface, turned by a
 * share of a turn, must lie on it again, all but a tenth of what is not round. Prime powers are tried, for an order
 * holds exactly where those that it is made of do; each by several of its multiples, so that 59 is told from 60.
 * @param direction unit, own frame
 * @returns 0 where the surface is round about the axis, 1 where nothing but a whole turn will do
 */
export function rotationalOrder(g: Geometry, direction: Triple, tree: MeshBVH): number {
  const axis = normalised(direction);
  if (!axis || g.indices.length < 3) return 1;
  const middle = middleOf(g);
  const samples = samplesOf(g);
  let far = 0;
  for (const { p } of samples) far = Math.max(far, offAxis(p, middle, axis));
  if (far === 0) return 0;
  // A round face is meshed as a polygon of two dozen edges: that is still round.
  const tolerance = Math.max(0.012 * far, 1e-4);
  const at = new Vector3();
  const hit = { point: new Vector3(), distance: 0, faceIndex: 0 };
  const lies = ({ p }: Sample, share: number): boolean => {
    at.set(...turned(p, middle, axis, 2 * Math.PI * share));
    return tree.closestPointToPoint(at, hit, 0, tolerance) !== null && hit.distance <= tolerance;
  };
  const telling = samples.filter((s) => {
    if (offAxis(s.p, middle, axis) < 0.05 * far) return false;
    return ODD_ANGLES.some((angle) => !lies(s, angle));
  });
  // A few places that miss are the mesher's, or a mark.
  if (telling.length < Math.max(6, 0.01 * samples.length)) return 0;
  const same = (n: number): boolean => {
    for (const k of new Set([1, Math.floor(n / 2), Math.round(n * 0.382)])) {
      if (k < 1 || k >= n) continue;
      let missed = 0;
      const most = (1 - SAME) * telling.length;
      for (const s of telling) {
        if (!lies(s, k / n)) missed++;
        if (missed > most) return false;
      }
    }
    return true;
  };
  let order = 1;
  for (let prime = 2; prime <= MOST_ORDER; prime++) {
    if (!isPrime(prime)) continue;
    for (let n = prime; n <= MOST_ORDER && same(n); n *= prime) order *= prime;
  }
  // Divided by more than any wheel is, it is round but for what the mesher left.
  return order > MOST_ORDER ? 0 : order;
}

const isPrime = (n: number): boolean => {
  for (let d = 2; d * d <= n; d++) if (n % d === 0) return false;
  return n > 1;
};

const offAxis = (p: Triple, middle: Triple, axis: Triple): number => {
  const d: Triple = [p[0] - middle[0], p[1] - middle[1], p[2] - middle[2]];
  return Math.hypot(...shifted(d, axis, -dot(d, axis)));
};

/** A place turned about an axis through the middle (Rodrigues). */
function turned(p: Triple, middle: Triple, axis: Triple, angle: number): Triple {
  const d: Triple = [p[0] - middle[0], p[1] - middle[1], p[2] - middle[2]];
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const along = dot(axis, d) * (1 - c);
  const side = cross(axis, d);
  return [0, 1, 2].map((k) => nth(middle, k) + nth(d, k) * c + nth(side, k) * s + nth(axis, k) * along) as Triple;
}
