import type { AssemblyIndex } from "../assembly/assembly";
import { FACE_STRIDE, faceInfo, type Geometry } from "../geometry/geometry";
import type { Axis } from "../kinematics/planar";
import { transformDirection, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { dot, type Triple, unit } from "../math/triple";

/** Something that moves as one: a part, or several. */
export interface Body {
  id: string;
  /** World coordinates xyz of its corners, mm, and triangles over them. */
  positions: Float64Array;
  indices: Uint32Array;
  min: Triple;
  max: Triple;
  /** Axes of its round faces, world frame, the largest first. */
  axes: readonly BodyAxis[];
}

export interface BodyAxis {
  point: Triple;
  direction: Triple;
  /** Area of the faces about it, mm2: how much it matters. */
  weight: number;
}

/**
 * Gathers nodes, with all below them, into a body as posed. Nodes listed in `without` are left out with theirs.
 * @param world 16 doubles a node, column-major, mm
 */
export function bodyOf(
  id: string,
  index: AssemblyIndex,
  geometries: readonly Geometry[],
  world: Float64Array,
  nodes: readonly number[],
  without: ReadonlySet<number> = new Set(),
): Body {
  const parts: { g: Geometry; node: number }[] = [];
  for (const root of nodes) {
    const end = nth(index.end, root);
    for (let i = root; i < end; ) {
      if (i !== root && without.has(i)) {
        i = nth(index.end, i);
        continue;
      }
      const g = geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (g) parts.push({ g, node: i });
      i++;
    }
  }
  const corners = parts.reduce((n, p) => n + p.g.positions.length, 0);
  const body: Body = {
    id,
    positions: new Float64Array(corners),
    indices: new Uint32Array(parts.reduce((n, p) => n + p.g.indices.length, 0)),
    min: [Infinity, Infinity, Infinity],
    max: [-Infinity, -Infinity, -Infinity],
    axes: [],
  };
  let at = 0;
  let tri = 0;
  for (const { g, node } of parts) {
    const o = 16 * node;
    const first = at / 3;
    for (let i = 0; i < g.positions.length; i += 3) {
      for (let r = 0; r < 3; r++) {
        const v =
          nth(world, o + r) * nth(g.positions, i) +
          nth(world, o + 4 + r) * nth(g.positions, i + 1) +
          nth(world, o + 8 + r) * nth(g.positions, i + 2) +
          nth(world, o + 12 + r);
        body.positions[at++] = v;
        if (v < nth(body.min, r)) body.min[r] = v;
        if (v > nth(body.max, r)) body.max[r] = v;
      }
    }
    for (const i of g.indices) body.indices[tri++] = first + i;
  }
  body.axes = axesAbout(parts, world);
  return body;
}

/** Round faces that are looked at together: of more, the largest. Each is compared with each. */
const ROUND_MOST = 600;

/** Axes of parts' round faces in the world, those along one line joined, those with the largest faces first. */
export function axesAbout(parts: readonly { g: Geometry; node: number }[], world: Float64Array): BodyAxis[] {
  let all: Round[] = [];
  const nodes: number[] = [];
  for (const { g, node } of parts)
    for (const r of roundFaces(g)) {
      all.push(r);
      nodes.push(node);
    }
  let order: readonly number[] | null = null;
  if (all.length > ROUND_MOST) {
    const rounds = all;
    const largest = [...all.keys()].sort((a, b) => (rounds[b] as Round).weight - (rounds[a] as Round).weight);
    // In the order in which they are in the parts, as where all are taken.
    order = largest.slice(0, ROUND_MOST).sort((a, b) => a - b);
    all = order.map((i) => rounds[i] as Round);
  }
  return clustered(
    all.map(({ point, axis, weight }, i) => {
      const o = 16 * nth(nodes, order ? nth(order, i) : i);
      return { point: transformPoint(world, point, o), direction: unit(transformDirection(world, axis, o)), weight };
    }),
  );
}

/** A round face of a geometry, in its own frame; mm, mm2. */
interface Round {
  point: Triple;
  axis: Triple;
  weight: number;
}

const rounds = new WeakMap<Geometry, readonly Round[]>();

/** A geometry's round faces, found once: whoever chooses a part asks. */
function roundFaces(g: Geometry): readonly Round[] {
  const known = rounds.get(g);
  if (known) return known;
  const out: Round[] = [];
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) {
    const info = faceInfo(g.faces, f);
    if (info.kind !== "cylinder" && info.kind !== "cone") continue;
    out.push({ point: info.point, axis: info.axis, weight: area(g, info.firstTriangle, info.triangles) });
  }
  rounds.set(g, out);
  return out;
}

/** Area of some triangles, mm2. */
function area(g: Geometry, first: number, count: number): number {
  let sum = 0;
  const { positions: p, indices } = g;
  for (let t = 3 * first; t < 3 * (first + count); t += 3) {
    const [a, b, c] = [3 * nth(indices, t), 3 * nth(indices, t + 1), 3 * nth(indices, t + 2)];
    const [ax, ay, az] = [nth(p, a), nth(p, a + 1), nth(p, a + 2)];
    const [ux, uy, uz] = [nth(p, b) - ax, nth(p, b + 1) - ay, nth(p, b + 2) - az];
    const [vx, vy, vz] = [nth(p, c) - ax, nth(p, c + 1) - ay, nth(p, c + 2) - az];
    sum += Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2;
  }
  return sum;
}

/** Joins axes along the same line, to half a degree and a hundredth of a mm. */
function clustered(axes: readonly BodyAxis[]): BodyAxis[] {
  const out: BodyAxis[] = [];
  for (const a of axes) {
    const same = out.find((b) => sameLine(a, b));
    if (same) same.weight += a.weight;
    else out.push({ ...a });
  }
  return out.sort((a, b) => b.weight - a.weight);
}

/** True when two axes lie along one line (half a degree, 0.05 mm). */
export function sameLine(a: Axis, b: Axis): boolean {
  if (Math.abs(dot(a.direction, b.direction)) < 0.99996) return false;
  const d = [0, 1, 2].map((k) => nth(a.point, k) - nth(b.point, k)) as Triple;
  const along = dot(d, b.direction);
  return Math.hypot(...d.map((v, k) => v - along * nth(b.direction, k))) < 0.05;
}

/** Lines along which bodies may be moved: the assembly's own three and those of its round faces, at most `most`. */
export function candidateLines(bodies: readonly Body[], most: number): Triple[] {
  const found: { direction: Triple; weight: number }[] = [];
  for (const body of bodies) {
    for (const { direction, weight } of body.axes) {
      const same = found.find((f) => Math.abs(dot(f.direction, direction)) > 0.99985);
      if (same) same.weight += weight;
      else found.push({ direction, weight });
    }
  }
  const lines: Triple[] = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  for (const f of found.sort((a, b) => b.weight - a.weight)) {
    if (lines.length >= most) break;
    if (!lines.some((l) => Math.abs(dot(l, f.direction)) > 0.99985)) lines.push(f.direction);
  }
  return lines;
}
