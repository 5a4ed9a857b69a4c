import { type Assembly, type AssemblyIndex, indexAssembly } from "../../src/core/assembly/assembly";
import { boundsOf, type Geometry } from "../../src/core/geometry/geometry";

/** A mesh from its corners and triangles, without faces of its own. */
export function mesh(id: string, positions: number[], indices: number[]): Geometry {
  const p = Float32Array.from(positions);
  return {
    ...{ id, positions: p, normals: new Float32Array(p.length), indices: Uint32Array.from(indices) },
    ...{ faces: new Float64Array(0), edges: new Float32Array(0), bounds: boundsOf(p) },
  };
}

/** A closed prism along z over an outline that goes round the origin; z from -height / 2. */
export function prism(id: string, outline: readonly (readonly [number, number])[], height: number): Geometry {
  const n = outline.length;
  const positions: number[] = [];
  for (const z of [-height / 2, height / 2]) for (const [x, y] of outline) positions.push(x, y, z);
  positions.push(0, 0, -height / 2, 0, 0, height / 2);
  const indices: number[] = [];
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n;
    indices.push(i, j, n + j, i, n + j, n + i, 2 * n, j, i, 2 * n + 1, n + i, n + j);
  }
  return mesh(id, positions, indices);
}

/** A gear wheel of straight teeth, module 2 mm; with `mark`, one tooth has a notch. */
export function gear(teeth: number, mark = false): Geometry {
  const outline: [number, number][] = [];
  const radius = teeth;
  for (let t = 0; t < teeth; t++) {
    for (const [share, r] of [
      [0, radius - 2.5],
      [0.28, radius - 2.5],
      [0.38, radius + (mark && t === 0 ? 0.4 : 2)],
      [0.62, radius + 2],
      [0.72, radius - 2.5],
    ] as const) {
      const angle = (2 * Math.PI * (t + share)) / teeth;
      outline.push([r * Math.cos(angle), r * Math.sin(angle)]);
    }
  }
  return prism(`gear${teeth}`, outline, 8);
}

/** A round disc, as meshed. */
export const disc = (radius: number, height: number, edges = 48): Geometry =>
  prism(
    "disc",
    Array.from({ length: edges }, (_, i) => {
      const angle = (2 * Math.PI * i) / edges;
      return [radius * Math.cos(angle), radius * Math.sin(angle)] as const;
    }),
    height,
  );

/** A box round the origin. */
export function box(id: string, x: number, y: number, z: number): Geometry {
  const [a, b, c] = [x / 2, y / 2, z / 2];
  const positions = [-1, 1].flatMap((k) => [-1, 1].flatMap((j) => [-1, 1].flatMap((i) => [i * a, j * b, k * c])));
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  return mesh(
    id,
    positions,
    quads.flatMap(([p, q, r, s]) => [p, q, r, p, r, s] as number[]),
  );
}

/** An assembly of parts at places (mm) under one root. */
export function assemblyOf(
  parts: Readonly<Record<string, { shape: Geometry | null; at?: readonly [number, number, number]; below?: string }>>,
): { index: AssemblyIndex; geometries: Geometry[] } {
  const geometries: Geometry[] = [];
  const shift = (x: number, y: number, z: number) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
  // One shape given twice is one geometry, as of a screw that is there twice.
  const numberOf = (shape: Geometry) =>
    geometries.includes(shape) ? geometries.indexOf(shape) : geometries.push(shape) - 1;
  const names = Object.keys(parts);
  const assembly: Assembly = {
    ...{ version: 1, name: "Made up", format: "step", unit: "mm", up: "z", warnings: [] },
    nodes: [
      { key: "root", name: "root", parent: -1, kind: "assembly", home: shift(0, 0, 0), geometry: -1, color: null },
      ...Object.entries(parts).map(([name, { shape, at = [0, 0, 0], below }]) => ({
        ...{ key: `root/${name}`, name, parent: below ? names.indexOf(below) + 1 : 0, kind: "part" as const },
        ...{ home: shift(at[0], at[1], at[2]), geometry: shape ? numberOf(shape) : -1, color: null },
      })),
    ],
    geometries: [],
  };
  assembly.geometries = geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds }));
  return { index: indexAssembly(assembly), geometries };
}
