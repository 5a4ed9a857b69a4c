import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { surfacePoints } from "../geometry/surfacePoints";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import type { Body } from "./bodies";

/** Two bodies that come into each other on the way. */
export interface Collision {
  a: number;
  b: number;
  /** Share of the way in time, 0..1, at which it was first seen. */
  at: number;
  /** How deep, mm, beyond what they are in one another at home. */
  depth: number;
}

/** Where a body is at a time: its shift from home, mm. */
export type ShiftAt = (body: number, time: number, out: Triple) => void;

interface Solid {
  bvh: MeshBVH;
  points: Float64Array;
  body: Body;
}

const _p = new Vector3();
const _ray = new Ray();
const ASKEW = new Vector3(0.5773, 0.5241, 0.6263).normalize();
const _hit = { point: new Vector3(), distance: 0, faceIndex: 0 };

/** How deep a point lies inside a solid, mm; 0 outside. */
function depthAt(solid: Solid, x: number, y: number, z: number, enough: number): number {
  const { min, max } = solid.body;
  if (
    x <= min[0] + enough ||
    y <= min[1] + enough ||
    z <= min[2] + enough ||
    x >= max[0] - enough ||
    y >= max[1] - enough ||
    z >= max[2] - enough
  )
    return 0;
  _p.set(x, y, z);
  // Inside when a ray leaves through the surface an odd number of times; the way is askew, so that edges are not met.
  _ray.origin.copy(_p);
  _ray.direction.copy(ASKEW);
  if (solid.bvh.raycast(_ray, DoubleSide).length % 2 === 0) return 0;
  const near = solid.bvh.closestPointToPoint(_p, _hit, enough, Infinity);
  return near && near.distance > enough ? near.distance : 0;
}

function solidOf(body: Body): Solid {
  const g = new BufferGeometry();
  g.setAttribute("position", new BufferAttribute(Float32Array.from(body.positions), 3));
  g.setIndex(new BufferAttribute(body.indices.slice(), 1));
  const bvh = new MeshBVH(g);
  return { bvh, points: surfacePoints(body.positions, body.indices, body.min, body.max), body };
}

/**
 * Follows bodies on their way and finds those that come into each other, deeper than they are at home and `tolerance`
 * (the deflection of their meshes). Independent of how the way was planned: points of each surface against the other's
 * mesh, through bounding-volume hierarchies, at `times` moments from 0 to 1.
 */
export function findCollisions(
  bodies: readonly Body[],
  shiftAt: ShiftAt,
  times: number,
  tolerance: number,
  progress?: (share: number) => void,
): Collision[] {
  const solids: (Solid | null)[] = bodies.map(() => null);
  const solid = (i: number) => (solids[i] ??= solidOf(bodies[i] as Body));
  const home = new Map<number, number>();
  const out = new Map<number, Collision>();
  const shifts = bodies.map((): Triple => [0, 0, 0]);
  const before = bodies.map((): Triple => [0, 0, 0]);
  const n = bodies.length;
  const order = [...bodies.keys()];
  const low = new Float64Array(n);
  for (let f = 0; f <= times; f++) {
    progress?.(f / times);
    for (let i = 0; i < n; i++) {
      before[i] = [...(shifts[i] as Triple)] as Triple;
      shiftAt(i, f / times, shifts[i] as Triple);
      low[i] = (bodies[i] as Body).min[0] + (shifts[i] as Triple)[0];
    }
    order.sort((a, b) => nth(low, a) - nth(low, b));
    for (let s = 0; s < n; s++) {
      const i = nth(order, s);
      const end = (bodies[i] as Body).max[0] + (shifts[i] as Triple)[0] - tolerance;
      for (let r = s + 1; r < n; r++) {
        const j = nth(order, r);
        if (nth(low, j) >= end) break;
        const key = i < j ? i * n + j : j * n + i;
        if (out.has(key) || !moved(shifts, before, i, j) || !boxesMeet(bodies, shifts, i, j, tolerance)) continue;
        let own = home.get(key);
        if (own === undefined) {
          own = between(solid(i), solid(j), [0, 0, 0], tolerance, Infinity);
          home.set(key, own);
        }
        const rel = [0, 1, 2].map((k) => nth(shifts[i] as Triple, k) - nth(shifts[j] as Triple, k)) as Triple;
        const depth = between(solid(i), solid(j), rel, own + tolerance, own + tolerance);
        if (depth > own + tolerance)
          out.set(key, { a: Math.min(i, j), b: Math.max(i, j), at: f / times, depth: depth - own });
      }
    }
  }
  return [...out.values()].sort((p, q) => p.at - q.at);
}

const moved = (now: Triple[], before: Triple[], i: number, j: number) =>
  [i, j].some((b) => [0, 1, 2].some((k) => now[b]?.[k] !== before[b]?.[k]));

function boxesMeet(bodies: readonly Body[], shifts: Triple[], i: number, j: number, tolerance: number): boolean {
  const a = bodies[i] as Body;
  const b = bodies[j] as Body;
  for (let k = 1; k < 3; k++) {
    const d = nth(shifts[i] as Triple, k) - nth(shifts[j] as Triple, k);
    if (nth(a.min, k) + d >= nth(b.max, k) - tolerance || nth(b.min, k) >= nth(a.max, k) + d - tolerance) return false;
  }
  return true;
}

/**
 * The deepest that points of one solid, shifted by `rel`, lie in another and the other way round; looks no further
 * once beyond `enough`.
 */
function between(a: Solid, b: Solid, rel: Triple, ignore: number, enough: number): number {
  let worst = 0;
  for (let i = 0; i < a.points.length && worst <= enough; i += 3) {
    worst = Math.max(
      worst,
      depthAt(b, nth(a.points, i) + rel[0], nth(a.points, i + 1) + rel[1], nth(a.points, i + 2) + rel[2], ignore),
    );
  }
  for (let i = 0; i < b.points.length && worst <= enough; i += 3) {
    worst = Math.max(
      worst,
      depthAt(a, nth(b.points, i) - rel[0], nth(b.points, i + 1) - rel[1], nth(b.points, i + 2) - rel[2], ignore),
    );
  }
  return worst;
}
