import { nth } from "../math/packed";
import { cross, dot, minus, normalised, type ReadonlyTriple, shifted, type Triple, times } from "../math/triple";
import { fitCircle, fitSurface, straightness } from "./fit";
import { FACE_STRIDE, faceInfo, faceOfTriangle, type Geometry, type SurfaceKind } from "./geometry";

/** What can be pointed at. */
export const FEATURE_KINDS = ["corner", "edge-middle", "circle", "face", "axis"] as const;
export type FeatureKind = (typeof FEATURE_KINDS)[number];

/**
 * Something of the geometry under the pointer: a place and, where it has one, a direction. In the geometry's frame,
 * mm.
 */
export interface Feature {
  kind: FeatureKind;
  point: Triple;
  /** Unit; null where it has none (a corner). */
  direction: Triple | null;
  /** Of a circle, hole or shaft; else 0. */
  radius: number;
  surface: SurfaceKind | "line" | "circle" | "corner";
  /** Taken from the B-rep; else fitted to the mesh with `error`, the largest distance in mm. */
  exact: boolean;
  error: number;
}

/**
 * The faces' feature: a plane's middle and normal, the axis of a cylinder, cone or torus, the middle of a sphere.
 * Null where nothing fits.
 */
export function surfaceFeature(geometry: Geometry, triangle: number): Feature | null {
  const face = faceOfTriangle(geometry.faces, triangle);
  const info = face >= 0 ? faceInfo(geometry.faces, face) : null;
  if (info && info.kind !== "other" && info.kind !== "mesh") {
    const direction = normalised(info.axis);
    const base = { radius: info.radius, surface: info.kind, exact: true, error: 0 };
    if (info.kind === "plane")
      return { ...base, kind: "face", point: faceMiddle(geometry, info.firstTriangle, info.triangles), direction };
    if (info.kind === "sphere") return { ...base, kind: "face", point: info.point, direction: null };
    if (!direction) return null;
    // A point on the axis beside the face, not wherever the CAD system put the axis' origin.
    const middle = faceMiddle(geometry, info.firstTriangle, info.triangles, true);
    const along = dot(minus(middle, info.point), direction);
    return {
      ...base,
      kind: "axis",
      point: info.point.map((v, k) => v + along * nth(direction, k)) as Triple,
      direction,
    };
  }
  const patch =
    info && info.kind === "other" ? range(info.firstTriangle, info.triangles) : smoothPatch(geometry, triangle);
  const fit = fitSurface(samplesOf(geometry, patch));
  if (!fit) return null;
  const direction = fit.kind === "sphere" ? null : fit.direction;
  return {
    kind: fit.kind === "plane" || fit.kind === "sphere" ? "face" : "axis",
    point: fit.point,
    direction,
    radius: fit.radius,
    surface: fit.kind,
    exact: false,
    error: fit.max,
  };
}

const range = (first: number, count: number) => Array.from({ length: count }, (_, i) => first + i);

/** Middle of a run of triangles: area-weighted, or the middle of its box. */
function faceMiddle(g: Geometry, first: number, count: number, box = false): Triple {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  const sum = [0, 0, 0];
  let area = 0;
  for (let t = first; t < first + count; t++) {
    const [a, b, c] = corners(g, t);
    const n = Math.hypot(...cross(minus(b, a), minus(c, a)));
    area += n;
    for (let k = 0; k < 3; k++) {
      const list = [nth(a, k), nth(b, k), nth(c, k)];
      sum[k] = nth(sum, k) + (n * nth(list, 0) + n * nth(list, 1) + n * nth(list, 2)) / 3;
      min[k] = Math.min(nth(min, k), ...list);
      max[k] = Math.max(nth(max, k), ...list);
    }
  }
  if (box || !(area > 0)) return [0, 1, 2].map((k) => (nth(min, k) + nth(max, k)) / 2) as Triple;
  return sum.map((s) => s / area) as Triple;
}

function corners(g: Geometry, t: number): [Triple, Triple, Triple] {
  const p = (i: number): Triple => {
    const v = nth(g.indices, 3 * t + i);
    return [nth(g.positions, 3 * v), nth(g.positions, 3 * v + 1), nth(g.positions, 3 * v + 2)];
  };
  return [p(0), p(1), p(2)];
}

/** Triangles joined to one by way of edges less sharp than this. */
const SMOOTH_DEG = 28;
const PATCH_MAX = 6000;
const meshes = new WeakMap<Geometry, { neighbours: Map<string, number[]>; key: (v: number) => string }>();

/** The smooth patch around a triangle of a mesh without faces: neighbours over edges that are not sharp. */
export function smoothPatch(g: Geometry, start: number): number[] {
  let mesh = meshes.get(g);
  if (!mesh) {
    const size = Math.max(...[0, 1, 2].map((k) => nth(g.bounds.max, k) - nth(g.bounds.min, k)), 1e-6);
    const grid = 1e6 / size;
    const key = (v: number) =>
      `${Math.round(nth(g.positions, 3 * v) * grid)},${Math.round(nth(g.positions, 3 * v + 1) * grid)},${Math.round(nth(g.positions, 3 * v + 2) * grid)}`;
    const neighbours = new Map<string, number[]>();
    for (let t = 0; t < g.indices.length / 3; t++) {
      for (let e = 0; e < 3; e++) {
        const name = edgeName(key(nth(g.indices, 3 * t + e)), key(nth(g.indices, 3 * t + ((e + 1) % 3))));
        const list = neighbours.get(name);
        if (list) list.push(t);
        else neighbours.set(name, [t]);
      }
    }
    mesh = { neighbours, key };
    meshes.set(g, mesh);
  }
  const limit = Math.cos((SMOOTH_DEG * Math.PI) / 180);
  const seen = new Set([start]);
  const queue = [start];
  for (let i = 0; i < queue.length && queue.length < PATCH_MAX; i++) {
    const t = nth(queue, i);
    const n = triangleNormal(g, t);
    if (!n) continue;
    for (let e = 0; e < 3; e++) {
      const name = edgeName(mesh.key(nth(g.indices, 3 * t + e)), mesh.key(nth(g.indices, 3 * t + ((e + 1) % 3))));
      for (const other of mesh.neighbours.get(name) ?? []) {
        if (seen.has(other)) continue;
        const m = triangleNormal(g, other);
        if (!m || dot(n, m) < limit) continue;
        seen.add(other);
        queue.push(other);
      }
    }
  }
  return queue;
}

const edgeName = (a: string, b: string) => (a < b ? `${a}|${b}` : `${b}|${a}`);

function triangleNormal(g: Geometry, t: number): Triple | null {
  const [a, b, c] = corners(g, t);
  return normalised(cross(minus(b, a), minus(c, a)));
}

/** Vertices of triangles with the triangles' normals, each vertex once a triangle. */
function samplesOf(g: Geometry, triangles: readonly number[]): { positions: number[]; normals: number[] } {
  const positions: number[] = [];
  const normals: number[] = [];
  for (const t of triangles) {
    const n = triangleNormal(g, t);
    if (!n) continue;
    for (const p of corners(g, t)) {
      positions.push(...p);
      normals.push(...n);
    }
  }
  return { positions, normals };
}

/** A feature edge as one run of points, xyz. */
export interface EdgeChain {
  points: number[];
  closed: boolean;
}

const chains = new WeakMap<Geometry, { byPoint: Map<string, number[]>; key: (o: number) => string }>();

/** Follows the feature edge through a segment both ways, to where it ends, branches or turns a corner. */
export function edgeChain(g: Geometry, segment: number): EdgeChain {
  let index = chains.get(g);
  if (!index) {
    const size = Math.max(...[0, 1, 2].map((k) => nth(g.bounds.max, k) - nth(g.bounds.min, k)), 1e-6);
    const grid = 1e6 / size;
    const key = (o: number) =>
      `${Math.round(nth(g.edges, o) * grid)},${Math.round(nth(g.edges, o + 1) * grid)},${Math.round(nth(g.edges, o + 2) * grid)}`;
    const byPoint = new Map<string, number[]>();
    for (let s = 0; s < g.edges.length / 6; s++) {
      for (const o of [6 * s, 6 * s + 3]) {
        const k = key(o);
        const list = byPoint.get(k);
        if (list) list.push(s);
        else byPoint.set(k, [s]);
      }
    }
    index = { byPoint, key };
    chains.set(g, index);
  }
  const at = (o: number): Triple => [nth(g.edges, o), nth(g.edges, o + 1), nth(g.edges, o + 2)];
  const used = new Set([segment]);
  const walk = (from: number, to: number): Triple[] => {
    const out: Triple[] = [];
    let a = from;
    let b = to;
    for (;;) {
      const here = index.key(b);
      const direction = normalised(minus(at(b), at(a)));
      const next = (index.byPoint.get(here) ?? []).filter((s) => !used.has(s));
      if (!direction) break;
      let best = -1;
      let straightest = 0.82;
      let start = 0;
      for (const s of next) {
        const [o, p] = index.key(6 * s) === here ? [6 * s, 6 * s + 3] : [6 * s + 3, 6 * s];
        const d = normalised(minus(at(p), at(o)));
        const c = d ? dot(d, direction) : -1;
        if (c > straightest) {
          straightest = c;
          best = s;
          start = o;
        }
      }
      if (best < 0) break;
      used.add(best);
      a = start;
      b = start === 6 * best ? 6 * best + 3 : 6 * best;
      out.push(at(b));
    }
    return out;
  };
  const forward = walk(6 * segment, 6 * segment + 3);
  const back = walk(6 * segment + 3, 6 * segment);
  const points = [...back.reverse(), at(6 * segment), at(6 * segment + 3), ...forward];
  const first = points[0] as Triple;
  const last = points.at(-1) as Triple;
  return {
    points: points.flat(),
    closed: points.length > 3 && Math.hypot(...minus(first, last)) < 1e-6 * Math.max(1, Math.hypot(...g.bounds.max)),
  };
}

/**
 * What an edge offers: its middle and direction when straight, the middle and axis of its circle when round, and its
 * ends.
 */
export function edgeFeatures(g: Geometry, segment: number): Feature[] {
  const chain = edgeChain(g, segment);
  const p = chain.points;
  const n = p.length;
  const out: Feature[] = [];
  const at = (i: number): Triple => [nth(p, i), nth(p, i + 1), nth(p, i + 2)];
  const length = Math.hypot(...minus(at(n - 3), at(0)));
  const bend = straightness(p);
  if (!chain.closed && bend <= 1e-4 * length) {
    const a = at(0);
    const b = at(n - 3);
    const direction = normalised(minus(b, a));
    if (direction)
      out.push({
        kind: "edge-middle",
        point: [0, 1, 2].map((k) => (nth(a, k) + nth(b, k)) / 2) as Triple,
        direction,
        radius: 0,
        surface: "line",
        exact: bend < 1e-9,
        error: bend,
      });
  } else {
    const circle = n >= 12 ? fitCircle(p) : null;
    if (circle) {
      const known = roundFace(g, circle);
      if (known) out.push({ kind: "circle", ...known, surface: "circle", exact: true, error: 0 });
      else
        out.push({
          kind: "circle",
          point: circle.centre,
          direction: circle.direction,
          radius: circle.radius,
          surface: "circle",
          exact: false,
          error: circle.max,
        });
    }
  }
  if (!chain.closed)
    for (const i of [0, n - 3])
      out.push({ kind: "corner", point: at(i), direction: null, radius: 0, surface: "corner", exact: true, error: 0 });
  return out;
}

/** Share of the radius, and of 1 for directions, within which a fitted circle is taken for the rim of a round face. */
const SAME_AXIS = 2e-3;

/**
 * The circle as the B-rep has it: on the exact axis of a cylinder, cone or torus that it borders; null where there is
 * none.
 */
function roundFace(
  g: Geometry,
  circle: { centre: ReadonlyTriple; direction: ReadonlyTriple; radius: number },
): { point: Triple; direction: Triple; radius: number } | null {
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) {
    const info = faceInfo(g.faces, f);
    if (info.kind !== "cylinder" && info.kind !== "cone" && info.kind !== "torus") continue;
    if (
      info.kind === "cylinder" &&
      Math.abs(info.radius - circle.radius) > SAME_AXIS * circle.radius + circle.radius * 0.01
    )
      continue;
    const axis = normalised(info.axis);
    if (!axis || Math.abs(Math.abs(dot(axis, circle.direction)) - 1) > SAME_AXIS) continue;
    const d = minus(circle.centre, info.point);
    const along = dot(d, axis);
    const off = Math.sqrt(Math.max(0, dot(d, d) - along * along));
    if (off > SAME_AXIS * circle.radius) continue;
    const sense = dot(axis, circle.direction) < 0 ? -1 : 1;
    return {
      point: shifted(info.point, axis, along),
      direction: times(axis, sense),
      radius: info.kind === "cylinder" ? info.radius : circle.radius,
    };
  }
  return null;
}

/** The feature-edge segment nearest to a point, and how far, mm; -1 when there are none within `reach`. */
export function nearestSegment(
  g: Geometry,
  point: ReadonlyTriple,
  reach: number,
): { segment: number; distance: number } {
  let segment = -1;
  let best = reach * reach;
  const [x, y, z] = [nth(point, 0), nth(point, 1), nth(point, 2)];
  for (let s = 0; s < g.edges.length; s += 6) {
    const ax = nth(g.edges, s);
    const ay = nth(g.edges, s + 1);
    const az = nth(g.edges, s + 2);
    const dx = nth(g.edges, s + 3) - ax;
    const dy = nth(g.edges, s + 4) - ay;
    const dz = nth(g.edges, s + 5) - az;
    const l = dx * dx + dy * dy + dz * dz;
    const t = l > 0 ? Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy + (z - az) * dz) / l)) : 0;
    const d = (x - ax - t * dx) ** 2 + (y - ay - t * dy) ** 2 + (z - az - t * dz) ** 2;
    if (d < best) {
      best = d;
      segment = s / 6;
    }
  }
  return { segment, distance: Math.sqrt(best) };
}

/**
 * What lies under a pointer on a geometry: the corner, edge or circle within `reach` mm of the point hit, else the
 * face.
 * `wanted` limits the kinds; the first that is near enough wins, corners before edges before faces.
 */
export function featureAt(
  g: Geometry,
  triangle: number,
  point: ReadonlyTriple,
  reach: number,
  wanted: readonly FeatureKind[] = FEATURE_KINDS,
): Feature | null {
  const near = nearestSegment(g, point, reach);
  if (near.segment >= 0) {
    const list = edgeFeatures(g, near.segment).filter((f) => wanted.includes(f.kind));
    const corner = list.find((f) => f.kind === "corner" && Math.hypot(...minus(f.point, point)) <= reach);
    if (corner) return corner;
    const edge = list.find((f) => f.kind === "edge-middle" || f.kind === "circle");
    if (edge) return edge;
  }
  const face = surfaceFeature(g, triangle);
  return face && wanted.includes(face.kind) ? face : null;
}
