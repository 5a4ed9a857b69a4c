import type { AssemblyNode } from "../assembly/assembly";
import { invertedAffine, multiplied, transformPoint } from "../math/mat4";
import { nth, tripleAt } from "../math/packed";
import { cross, dot, minus, normalised, shifted, type Triple } from "../math/triple";
import { symmetricEigen } from "./eigen";
import { FACE_STRIDE, type Geometry } from "./geometry";

/** Points may lie this share of the shape's size apart and still count as the same. */
const TOLERANCE = 2e-5;

const vertex = (g: Geometry, i: number): Triple => [
  nth(g.positions, 3 * i),
  nth(g.positions, 3 * i + 1),
  nth(g.positions, 3 * i + 2),
];

interface Measures {
  middle: Triple;
  /** Second moments about the middle, smallest first, with their axes. */
  values: Triple;
  axes: Triple[];
  size: number;
}

function measure(g: Geometry): Measures {
  const n = g.positions.length / 3;
  const middle: Triple = [0, 0, 0];
  for (let i = 0; i < g.positions.length; i++) middle[i % 3] = nth(middle, i % 3) + nth(g.positions, i) / n;
  const m: [number, number, number, number, number, number] = [0, 0, 0, 0, 0, 0];
  let far = 0;
  for (let i = 0; i < n; i++) {
    const [x, y, z] = minus(vertex(g, i), middle);
    m[0] += x * x;
    m[1] += x * y;
    m[2] += x * z;
    m[3] += y * y;
    m[4] += y * z;
    m[5] += z * z;
    far = Math.max(far, Math.hypot(x, y, z));
  }
  const e = symmetricEigen(m);
  return { middle, values: e.values, axes: e.vectors, size: far };
}

/**
 * Rigid transform (16 numbers, column-major) from three points to three points of the same triangle; null when flat.
 */
function byThree(a: readonly Triple[], b: readonly Triple[]): number[] | null {
  const frame = (p: readonly Triple[]): number[] | null => {
    const u = normalised(minus(p[1] as Triple, p[0] as Triple));
    const w = u && normalised(cross(u, minus(p[2] as Triple, p[0] as Triple)));
    if (!u || !w) return null;
    const v = cross(w, u);
    const o = p[0] as Triple;
    return [...u, 0, ...v, 0, ...w, 0, ...o, 1];
  };
  const fa = frame(a);
  const fb = frame(b);
  return fa && fb ? multiplied(fb, invertedAffine(fa)) : null;
}

/**
 * The rigid transform (no mirror) that lays one shape on another, or null when there is none. First vertex by vertex
 * in their order, as exporters repeat a body; else by the principal axes, any order of vertices.
 */
export function rigidBetween(a: Geometry, b: Geometry): number[] | null {
  if (a.positions.length !== b.positions.length || a.indices.length !== b.indices.length || a.positions.length < 9)
    return null;
  const ma = measure(a);
  const mb = measure(b);
  const size = Math.max(ma.size, mb.size);
  if (Math.abs(ma.size - mb.size) > 1e-3 * size) return null;
  for (let k = 0; k < 3; k++)
    if (Math.abs(nth(ma.values, k) - nth(mb.values, k)) > 2e-3 * nth(ma.values, 2)) return null;
  const tolerance = TOLERANCE * size + 1e-5;
  const n = a.positions.length / 3;

  // Three points far apart: the first, the one farthest from it, the one farthest from the line between.
  const first = vertex(a, 0);
  let second = 1;
  for (let i = 1; i < n; i++)
    if (Math.hypot(...minus(vertex(a, i), first)) > Math.hypot(...minus(vertex(a, second), first))) second = i;
  const line = normalised(minus(vertex(a, second), first));
  let third = 2;
  let off = -1;
  for (let i = 1; line && i < n; i++) {
    const d = Math.hypot(...cross(line, minus(vertex(a, i), first)));
    if (d > off) {
      off = d;
      third = i;
    }
  }
  const t = byThree([first, vertex(a, second), vertex(a, third)], [vertex(b, 0), vertex(b, second), vertex(b, third)]);
  if (t) {
    let same = true;
    for (let i = 0; i < n && same; i++)
      same = Math.hypot(...minus(transformPoint(t, vertex(a, i)), vertex(b, i))) <= tolerance * 4;
    if (same) return t;
  }

  // Axes are only certain where the moments differ.
  const gap = Math.min(nth(ma.values, 1) - nth(ma.values, 0), nth(ma.values, 2) - nth(ma.values, 1));
  if (gap < 1e-3 * nth(ma.values, 2)) return null;
  const cell = tolerance * 8;
  const grid = new Map<string, Triple[]>();
  const name = (p: Triple, dx = 0, dy = 0, dz = 0) =>
    `${Math.floor(p[0] / cell) + dx},${Math.floor(p[1] / cell) + dy},${Math.floor(p[2] / cell) + dz}`;
  for (let i = 0; i < n; i++) {
    const p = vertex(b, i);
    const list = grid.get(name(p));
    if (list) list.push(p);
    else grid.set(name(p), [p]);
  }
  const near = (p: Triple) => {
    for (let i = 0; i < 27; i++) {
      for (const q of grid.get(name(p, (i % 3) - 1, (Math.floor(i / 3) % 3) - 1, Math.floor(i / 9) - 1)) ?? [])
        if (Math.hypot(...minus(p, q)) <= tolerance * 4) return true;
    }
    return false;
  };
  for (const signs of [
    [1, 1],
    [1, -1],
    [-1, 1],
    [-1, -1],
  ]) {
    const frame = (m: Measures, s: readonly number[]) => {
      const u = (m.axes[0] as Triple).map((v) => v * nth(s, 0)) as Triple;
      const v = (m.axes[1] as Triple).map((x) => x * nth(s, 1)) as Triple;
      return [...u, 0, ...v, 0, ...cross(u, v), 0, ...m.middle, 1];
    };
    const candidate = multiplied(frame(mb, signs), invertedAffine(frame(ma, [1, 1])));
    let same = true;
    for (let i = 0; i < n && same; i++) same = near(transformPoint(candidate, vertex(a, i)));
    if (same) return candidate;
  }
  return null;
}

/**
 * Recognises bodies that are the same shape placed several times, as files have them that lost their instances: they
 * come to share one geometry, each node's home taking over the difference. Face colours must agree.
 * @returns the nodes, the geometries that are still used, and how many bodies were recognised.
 */
export function shareCongruent(
  nodes: readonly AssemblyNode[],
  geometries: readonly Geometry[],
): { nodes: AssemblyNode[]; geometries: Geometry[]; recognised: number } {
  const buckets = new Map<string, number[]>();
  const as = geometries.map((_, i) => ({ to: i, transform: null as number[] | null }));
  let recognised = 0;
  geometries.forEach((g, i) => {
    const colors: number[] = [];
    for (let f = 0; f < g.faces.length / FACE_STRIDE; f++)
      colors.push(nth(g.faces, f * FACE_STRIDE + 11), nth(g.faces, f * FACE_STRIDE + 1));
    const key = `${g.positions.length},${g.indices.length},${colors.slice(0, 400).join()}`;
    const list = buckets.get(key) ?? [];
    for (const j of list) {
      const t = rigidBetween(geometries[j] as Geometry, g);
      if (!t) continue;
      as[i] = { to: j, transform: t };
      recognised++;
      break;
    }
    if (as[i]?.to === i) buckets.set(key, [...list, i]);
  });
  if (recognised === 0) return { nodes: [...nodes], geometries: [...geometries], recognised };
  const kept: Geometry[] = [];
  const place = new Int32Array(geometries.length).fill(-1);
  as.forEach((a, i) => {
    if (a.to === i) place[i] = kept.push(geometries[i] as Geometry) - 1;
  });
  const changed = nodes.map((node) => {
    const a = node.geometry >= 0 ? as[node.geometry] : undefined;
    if (!a) return node;
    const geometry = nth(place, a.to);
    return a.transform
      ? { ...node, geometry, home: multiplied(node.home, cleaned(a.transform)) }
      : { ...node, geometry };
  });
  return { nodes: changed, geometries: kept, recognised };
}

/** Takes the rounding off a rigid transform: axes square and of length 1, what is within 1e-7 of 0 or 1 exactly so. */
function cleaned(m: readonly number[]): number[] {
  const round = (v: number) => (Math.abs(v - Math.round(v)) < 1e-7 ? Math.round(v) : v);
  const u = (normalised(tripleAt(m)) ?? [1, 0, 0]).map(round) as Triple;
  const raw = tripleAt(m, 4);
  const v = (normalised(shifted(raw, u, -dot(raw, u))) ?? [0, 1, 0]).map(round) as Triple;
  return [...u, 0, ...v, 0, ...cross(u, v), 0, ...m.slice(12, 15), 1];
}
