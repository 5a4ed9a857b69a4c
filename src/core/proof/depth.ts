import { Matrix4, Vector3 } from "three";
import type { Triple } from "../math/triple";
import type { Shapes } from "./shapes";

export interface Depth {
  /** mm; 0 where neither lies in the other. */
  depth: number;
  /** Where it is deepest, world mm. */
  place: Triple;
}

const _a = new Matrix4();
const _b = new Matrix4();
const _rel = new Matrix4();
const _p = new Vector3();
const _out: Depth = { depth: 0, place: [0, 0, 0] };
const _stack = new Int32Array(64);

/**
 * How deep two meshes are in one another: the farthest that a place of one's surface lies inside the other from its
 * surface. Places are corners, middles of triangles and points along edges, in a tree of balls: a ball that the other
 * surface does not come near lies wholly on one side of it. Inside is where a ray leaves through the surface an odd
 * number of times, so that inverted meshes count as well.
 * @param world 16 doubles a node
 * @param above what is not deeper than this counts as nothing, mm; the more is forgiven, the sooner it is told
 * @returns one object that is used again
 */
export function depthBetween(
  shapes: Shapes,
  geometryA: number,
  geometryB: number,
  world: Float64Array,
  nodeA: number,
  nodeB: number,
  above: number,
): Depth {
  _out.depth = 0;
  _a.fromArray(world, 16 * nodeA);
  _b.fromArray(world, 16 * nodeB);
  _rel.copy(_b).invert().multiply(_a);
  scan(shapes, geometryA, geometryB, _rel, _b, above);
  _rel.invert();
  scan(shapes, geometryB, geometryA, _rel, _a, above);
  return _out;
}

function scan(shapes: Shapes, of: number, into: number, rel: Matrix4, frame: Matrix4, above: number): void {
  const { points, balls, first, count, right } = shapes.ballsOf(of);
  const bounds = shapes.geometries[into]?.bounds;
  if (!bounds || first.length === 0) return;
  const cells = shapes.cellsOf(into, above);
  const { min, max } = bounds;
  const e = rel.elements;
  // Parts may be drawn larger than they are: their balls then are, too.
  const scale = Math.sqrt(
    Math.max(
      (e[0] as number) ** 2 + (e[1] as number) ** 2 + (e[2] as number) ** 2,
      (e[4] as number) ** 2 + (e[5] as number) ** 2 + (e[6] as number) ** 2,
      (e[8] as number) ** 2 + (e[9] as number) ** 2 + (e[10] as number) ** 2,
    ),
  );
  let least = Math.max(above, _out.depth);
  let left = 1;
  _stack[0] = 0;
  while (left > 0) {
    const n = _stack[--left] as number;
    put(e, balls, 4 * n);
    const r = scale * (balls[4 * n + 3] as number);
    const { x, y, z } = _p;
    // What lies outside the other's box, or within a hair of its faces, is in nothing.
    const reach = r - least;
    if (
      x + reach <= min[0] ||
      x - reach >= max[0] ||
      y + reach <= min[1] ||
      y - reach >= max[1] ||
      z + reach <= min[2] ||
      z - reach >= max[2] ||
      cells.sideOf(x, y, z, r, least) === "free"
    )
      continue;
    if (right[n] !== 0) {
      _stack[left++] = n + 1;
      _stack[left++] = right[n] as number;
      continue;
    }
    const end = (first[n] as number) + (count[n] as number);
    for (let i = first[n] as number; i < end; i++) {
      put(e, points, 3 * i);
      if (
        _p.x <= min[0] + least ||
        _p.x >= max[0] - least ||
        _p.y <= min[1] + least ||
        _p.y >= max[1] - least ||
        _p.z <= min[2] + least ||
        _p.z >= max[2] - least ||
        cells.sideOf(_p.x, _p.y, _p.z, 0, least) === "free"
      )
        continue;
      const depth = cells.depthAt(_p.x, _p.y, _p.z, least);
      if (depth <= least) continue;
      least = depth;
      _out.depth = depth;
      _p.applyMatrix4(frame);
      _out.place[0] = _p.x;
      _out.place[1] = _p.y;
      _out.place[2] = _p.z;
    }
  }
}

/** A place in the other's frame, into `_p`. */
function put(e: readonly number[], list: Float64Array, o: number): void {
  const px = list[o] as number;
  const py = list[o + 1] as number;
  const pz = list[o + 2] as number;
  _p.set(
    (e[0] as number) * px + (e[4] as number) * py + (e[8] as number) * pz + (e[12] as number),
    (e[1] as number) * px + (e[5] as number) * py + (e[9] as number) * pz + (e[13] as number),
    (e[2] as number) * px + (e[6] as number) * py + (e[10] as number) * pz + (e[14] as number),
  );
}

/**
 * The same, found the plain way: do the surfaces meet, and if so, every place of each against the other's tree.
 * For measuring against, and as an independent opinion in tests.
 */
export function directDepth(
  shapes: Shapes,
  geometryA: number,
  geometryB: number,
  world: Float64Array,
  nodeA: number,
  nodeB: number,
  above: number,
): number {
  const [a, b] = [shapes.treeOf(geometryA), shapes.treeOf(geometryB)];
  const [wa, wb] = [new Matrix4().fromArray(world, 16 * nodeA), new Matrix4().fromArray(world, 16 * nodeB)];
  const rel = wb.clone().invert().multiply(wa);
  const back = rel.clone().invert();
  let worst = 0;
  const meets = b.intersectsGeometry(a.geometry, rel);
  for (const [of, into, m] of [
    [geometryA, geometryB, rel],
    [geometryB, geometryA, back],
  ] as const) {
    const { points } = shapes.ballsOf(of);
    const cells = shapes.cellsOf(into, above);
    for (let i = 0; i < points.length; i += 3) {
      put(m.elements, points, 3 * (i / 3));
      worst = Math.max(worst, cells.depthAt(_p.x, _p.y, _p.z, Math.max(above, worst)));
      // Apart, or one wholly inside the other: its first place tells.
      if (!meets && worst === 0) break;
    }
  }
  return worst;
}
