import { flattenTree, type RawNode } from "../../src/core/assembly/build";
import type { AssemblyPackage } from "../../src/core/assembly/package";
import { featureEdges } from "../../src/core/geometry/featureEdges";
import { boundsOf, FACE_STRIDE, type Geometry } from "../../src/core/geometry/geometry";
import { nth } from "../../src/core/math/packed";
import type { ReadonlyTriple, Triple } from "../../src/core/math/triple";

/** A made-up part: a box of a size at a place in its owner, or a sub-assembly. */
export interface BoxPart {
  name: string;
  at: Triple;
  size?: Triple;
  children?: BoxPart[];
}

/** A box centred on the origin with a face table of six planes. */
export function boxGeometry(id: string, [w, d, h]: ReadonlyTriple): Geometry {
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  const faces: number[] = [];
  const sides: [number, number, number][] = [
    [1, 0, 0],
    [-1, 0, 0],
    [0, 1, 0],
    [0, -1, 0],
    [0, 0, 1],
    [0, 0, -1],
  ];
  const half = [w / 2, d / 2, h / 2];
  sides.forEach((n, f) => {
    const axis = n.findIndex((v) => v !== 0);
    const u = (axis + 1) % 3;
    const v = (axis + 2) % 3;
    const sign = nth(n, axis);
    const base = positions.length / 3;
    for (const [a, b] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ] as const) {
      const p = [0, 0, 0];
      p[axis] = sign * nth(half, axis);
      p[u] = a * nth(half, u) * sign;
      p[v] = b * nth(half, v);
      positions.push(...p);
      normals.push(...n);
    }
    indices.push(base, base + 1, base + 2, base, base + 2, base + 3);
    const row = new Array<number>(FACE_STRIDE).fill(0);
    row[0] = 2 * f;
    row[1] = 2;
    row[3 + axis] = sign * nth(half, axis);
    row[6] = n[0];
    row[7] = n[1];
    row[8] = n[2];
    row[11] = -1;
    faces.push(...row);
  });
  const p = Float32Array.from(positions);
  const nn = Float32Array.from(normals);
  const ii = Uint32Array.from(indices);
  const ff = Float64Array.from(faces);
  return {
    id,
    positions: p,
    normals: nn,
    indices: ii,
    faces: ff,
    edges: featureEdges(p, nn, ii, ff),
    bounds: boundsOf(p),
  };
}

/** A package of boxes; equal sizes share one geometry. */
export function boxPackage(name: string, parts: readonly BoxPart[]): AssemblyPackage {
  const geometries: Geometry[] = [];
  const bySize = new Map<string, number>();
  const home = ([x, y, z]: ReadonlyTriple) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
  const make = (p: BoxPart): RawNode => {
    let geometry = -1;
    if (p.size) {
      const id = p.size.join("x");
      geometry = bySize.get(id) ?? geometries.push(boxGeometry(id, p.size)) - 1;
      bySize.set(id, geometry);
    }
    return { name: p.name, home: home(p.at), geometry, color: null, children: (p.children ?? []).map(make) };
  };
  const nodes = flattenTree(
    [{ name, home: home([0, 0, 0]), geometry: -1, color: null, children: parts.map(make) }],
    [],
  );
  return {
    assembly: {
      version: 1,
      name,
      format: "step",
      unit: "mm",
      up: "z",
      nodes,
      geometries: geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
      warnings: [],
    },
    geometries,
  };
}
