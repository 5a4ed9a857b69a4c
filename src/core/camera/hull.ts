import { Vector3 } from "three";
import { ConvexHull } from "three/examples/jsm/math/ConvexHull.js";
import { nth } from "../math/packed";

/** Fewer corners than this are not worth a hull. */
const FEW = 64;
/** Points that a finished hull is tried with. */
const TRIED = 400;

/**
 * Corners of the convex hull of points, xyz: what is inside or outside of a picture is decided by these alone, since a
 * perspective picture keeps straight lines straight. Flat or degenerate sets, which have no hull with a volume, and
 * sets whose hull misses a point keep all their points.
 * @param positions xyz of each point
 */
export function hullPoints(positions: ArrayLike<number>): Float64Array {
  const all = distinct(positions);
  if (all.length / 3 <= FEW) return all;
  const points: Vector3[] = [];
  for (let i = 0; i < all.length; i += 3) points.push(new Vector3(all[i], all[i + 1], all[i + 2]));
  try {
    const hull = new ConvexHull().setFromPoints(points);
    const corners = new Set<Vector3>();
    for (const face of hull.faces) {
      let edge = face.edge;
      do {
        corners.add(edge.head().point);
        edge = edge.next;
      } while (edge !== face.edge);
    }
    const size = points.reduce((m, p) => Math.max(m, Math.abs(p.x), Math.abs(p.y), Math.abs(p.z)), 1);
    // A sample of the points is tried against all faces: a hull that went wrong leaves many of them out.
    const every = Math.ceil(points.length / TRIED);
    const whole =
      corners.size >= 4 &&
      points.every((p, i) => i % every > 0 || hull.faces.every((f) => f.normal.dot(p) - f.constant <= 1e-6 * size));
    if (whole) return Float64Array.from([...corners].flatMap((p) => [p.x, p.y, p.z]));
  } catch {
    // A set that the method cannot start on, all points in one plane for instance, keeps them all.
  }
  return all;
}

/** Points that differ, xyz: the corners of a mesh are repeated for every face round them. */
function distinct(positions: ArrayLike<number>): Float64Array {
  const seen = new Set<string>();
  const out: number[] = [];
  for (let i = 0; i + 2 < positions.length; i += 3) {
    const name = `${positions[i]} ${positions[i + 1]} ${positions[i + 2]}`;
    if (seen.has(name)) continue;
    seen.add(name);
    out.push(nth(positions, i), nth(positions, i + 1), nth(positions, i + 2));
  }
  return Float64Array.from(out);
}
