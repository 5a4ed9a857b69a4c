import type { Bounds } from "../assembly/assembly";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";

/** What kind of surface a B-rep face lies on. "mesh" where the file had no B-rep. */
export const SURFACE_KINDS = ["plane", "cylinder", "cone", "sphere", "torus", "other", "mesh"] as const;
export type SurfaceKind = (typeof SURFACE_KINDS)[number];

/**
 * The face table: {@link FACE_STRIDE} doubles a face, in the geometry's own frame, mm.
 *
 *   0 first triangle   1 triangles   2 surface kind (index into SURFACE_KINDS)
 *   3..5 point on the axis (plane: a point on it)   6..8 axis direction, unit (plane: normal)
 *   9 radius (cylinder, sphere, cone at the point, torus major; else 0)
 *   10 second number (cone half angle in degrees, torus minor radius; else 0)
 *   11 packed colour 0xRRGGBB, or -1 for the part's own
 */
export const FACE_STRIDE = 12;

/** One shape, shared by all its instances. Triangles of one face lie together, in face order. */
export interface Geometry {
  id: string;
  /** xyz, mm. */
  positions: Float32Array;
  /** Unit normals, xyz. */
  normals: Float32Array;
  indices: Uint32Array;
  faces: Float64Array;
  /** Feature edges as segments: xyz xyz. */
  edges: Float32Array;
  bounds: Bounds;
}

export interface FaceInfo {
  firstTriangle: number;
  triangles: number;
  kind: SurfaceKind;
  point: Triple;
  axis: Triple;
  radius: number;
  second: number;
  color: number | null;
}

/** Reads one row of a face table. */
export function faceInfo(faces: Float64Array, face: number): FaceInfo {
  const g = (k: number) => nth(faces, face * FACE_STRIDE + k);
  return {
    firstTriangle: g(0),
    triangles: g(1),
    kind: SURFACE_KINDS[g(2)] ?? "other",
    point: [g(3), g(4), g(5)],
    axis: [g(6), g(7), g(8)],
    radius: g(9),
    second: g(10),
    color: g(11) < 0 ? null : g(11),
  };
}

/** The face that holds a triangle, by binary search over the first triangles; -1 if none. */
export function faceOfTriangle(faces: Float64Array, triangle: number): number {
  let lo = 0;
  let hi = faces.length / FACE_STRIDE - 1;
  while (lo <= hi) {
    const mid = (lo + hi) >> 1;
    const first = nth(faces, mid * FACE_STRIDE);
    if (triangle < first) hi = mid - 1;
    else if (triangle >= first + nth(faces, mid * FACE_STRIDE + 1)) lo = mid + 1;
    else return mid;
  }
  return -1;
}

/** Box around positions; a point at the origin when there are none. */
export function boundsOf(positions: ArrayLike<number>): Bounds {
  if (positions.length < 3) return { min: [0, 0, 0], max: [0, 0, 0] };
  const min: Triple = [Infinity, Infinity, Infinity];
  const max: Triple = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const v = nth(positions, i + k);
      if (v < nth(min, k)) min[k] = v;
      if (v > nth(max, k)) max[k] = v;
    }
  }
  return { min, max };
}
