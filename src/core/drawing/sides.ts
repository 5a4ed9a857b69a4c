import { weldVertices } from "../geometry/featureEdges";
import type { Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";

/** The sides of a mesh's triangles, each once, with the triangles on both sides of it. */
export interface Sides {
  /** Corners of each side, numbers of vertices, two a side. */
  ends: Uint32Array;
  /** Triangles beside it, two a side; -1 where there is none. */
  beside: Int32Array;
  /** 1 where it is a feature edge. */
  feature: Uint8Array;
  /** Feature edges that are no sides of triangles: xyz xyz. */
  loose: Float32Array;
  /** Normals of the triangles, not of unit length, by their corners' order. */
  normals: Float32Array;
  count: number;
}

/** A side is matched to a feature edge by its middle, to this share of the geometry's size. */
const SAME = 1e-5;

/** The sides of a geometry's triangles, corners matched by place. Where three triangles meet in a side, two are kept. */
export function sidesOf(g: Geometry): Sides {
  const { positions: p, indices } = g;
  const ids = weldVertices(p, 1e-6);
  const triangles = Math.floor(indices.length / 3);
  const count = p.length / 3;
  let size = 1;
  while (size < 6 * triangles + 2) size *= 2;
  const keys = new Float64Array(size).fill(-1);
  const at = new Int32Array(size);
  const ends = new Uint32Array(6 * triangles);
  const beside = new Int32Array(6 * triangles).fill(-1);
  const normals = new Float32Array(3 * triangles);
  let n = 0;
  for (let t = 0; t < triangles; t++) {
    const [a, b, c] = [nth(indices, 3 * t), nth(indices, 3 * t + 1), nth(indices, 3 * t + 2)];
    writeNormal(p, a, b, c, normals, 3 * t);
    for (let k = 0; k < 3; k++) {
      const [v, w] = k === 0 ? [a, b] : k === 1 ? [b, c] : [c, a];
      const [i, j] = [nth(ids, v), nth(ids, w)];
      if (i === j) continue;
      const key = Math.min(i, j) * count + Math.max(i, j);
      let slot = (Math.imul(i ^ j, 0x9e3779b1) ^ Math.imul(i + j, 0x85ebca6b)) & (size - 1);
      while (keys[slot] !== -1 && keys[slot] !== key) slot = (slot + 1) & (size - 1);
      if (keys[slot] === -1) {
        keys[slot] = key;
        at[slot] = n;
        ends[2 * n] = v;
        ends[2 * n + 1] = w;
        beside[2 * n] = t;
        n++;
      } else {
        const side = nth(at, slot);
        if (beside[2 * side + 1] === -1) beside[2 * side + 1] = t;
      }
    }
  }
  const feature = new Uint8Array(n);
  const { loose } = markFeatures(g, ends.subarray(0, 2 * n), feature);
  return { ends: ends.slice(0, 2 * n), beside: beside.slice(0, 2 * n), feature, loose, normals, count: n };
}

function writeNormal(p: Float32Array, a: number, b: number, c: number, out: Float32Array, o: number): void {
  const ux = nth(p, 3 * b) - nth(p, 3 * a);
  const uy = nth(p, 3 * b + 1) - nth(p, 3 * a + 1);
  const uz = nth(p, 3 * b + 2) - nth(p, 3 * a + 2);
  const vx = nth(p, 3 * c) - nth(p, 3 * a);
  const vy = nth(p, 3 * c + 1) - nth(p, 3 * a + 1);
  const vz = nth(p, 3 * c + 2) - nth(p, 3 * a + 2);
  out[o] = uy * vz - uz * vy;
  out[o + 1] = uz * vx - ux * vz;
  out[o + 2] = ux * vy - uy * vx;
}

/** Marks the sides that feature edges lie on. */
function markFeatures(g: Geometry, ends: Uint32Array, feature: Uint8Array): { loose: Float32Array } {
  const { positions: p, edges, bounds } = g;
  const reach = Math.max(...[0, 1, 2].map((k) => nth(bounds.max, k) - nth(bounds.min, k)), 1e-6);
  const cell = 1 / (reach * SAME);
  const name = (x: number, y: number, z: number) =>
    `${Math.round(x * cell)} ${Math.round(y * cell)} ${Math.round(z * cell)}`;
  const wanted = new Map<string, number>();
  for (let e = 0; e + 5 < edges.length; e += 6)
    wanted.set(
      name(
        nth(edges, e) + nth(edges, e + 3),
        nth(edges, e + 1) + nth(edges, e + 4),
        nth(edges, e + 2) + nth(edges, e + 5),
      ),
      e,
    );
  const found = new Set<number>();
  for (let s = 0; s < feature.length; s++) {
    const [v, w] = [3 * nth(ends, 2 * s), 3 * nth(ends, 2 * s + 1)];
    const e = wanted.get(name(nth(p, v) + nth(p, w), nth(p, v + 1) + nth(p, w + 1), nth(p, v + 2) + nth(p, w + 2)));
    if (e === undefined) continue;
    feature[s] = 1;
    found.add(e);
  }
  const rest: number[] = [];
  for (const e of wanted.values()) if (!found.has(e)) rest.push(...edges.subarray(e, e + 6));
  return { loose: Float32Array.from(rest) };
}
