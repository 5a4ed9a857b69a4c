import { expect } from "vitest";
import type { AssemblyPackage } from "../../src/core/assembly/package";
import { FACE_STRIDE, type Geometry } from "../../src/core/geometry/geometry";
import { nth } from "../../src/core/math/packed";

const corners = ({ bounds }: Geometry): number[] => [...bounds.min, ...bounds.max];

/** The area of each face of a geometry, by its place in the face table. */
function areas(g: Geometry): number[] {
  const out: number[] = [];
  let at = 0;
  for (let f = 0; f < g.faces.length; f += FACE_STRIDE) {
    const end = nth(g.faces, f) + nth(g.faces, f + 1);
    at = nth(g.faces, f);
    let area = 0;
    for (let t = at; t < end; t++) {
      const p = [0, 1, 2].map((c) => {
        const v = 3 * nth(g.indices, 3 * t + c);
        return [nth(g.positions, v), nth(g.positions, v + 1), nth(g.positions, v + 2)] as const;
      }) as unknown as [readonly number[], readonly number[], readonly number[]];
      const [u, w] = [1, 2].map((k) => [0, 1, 2].map((c) => nth(p[k] as number[], c) - nth(p[0] as number[], c)));
      const cross = [0, 1, 2].map((c) => {
        const [i, j] = [(c + 1) % 3, (c + 2) % 3];
        return nth(u as number[], i) * nth(w as number[], j) - nth(u as number[], j) * nth(w as number[], i);
      });
      area += 0.5 * Math.hypot(...cross);
    }
    out.push(area);
  }
  return out;
}

/** Numbers that agree to a share of their size. */
function expectClose(a: Iterable<number>, b: Iterable<number>, share: number): void {
  const other = [...b];
  for (const [i, v] of [...a].entries())
    expect(Math.abs(v - nth(other, i))).toBeLessThan(share * Math.max(1, Math.abs(v)));
}

/**
 * Two ways of reading a file came to the same: tree, names, colours, transforms, face kinds and axes to rounding;
 * meshes, face by face, within what the mesher may leave.
 */
export function expectSamePackage(a: AssemblyPackage, b: AssemblyPackage): void {
  const { nodes, geometries, ...about } = a.assembly;
  const { nodes: others, geometries: otherGeometries, ...otherAbout } = b.assembly;
  expect(about).toEqual(otherAbout);
  const tree = (list: typeof nodes) => list.map(({ home, color, ...n }) => ({ ...n, coloured: color !== null }));
  expect(tree(nodes)).toEqual(tree(others));
  for (const [i, n] of nodes.entries()) {
    expectClose(n.home, others[i]?.home ?? [], 1e-9);
    expectClose(n.color ?? [], others[i]?.color ?? [], 1e-6);
  }
  expect(geometries.map((g) => g.id)).toEqual(otherGeometries.map((g) => g.id));
  for (const [i, g] of a.geometries.entries()) {
    const other = b.geometries[i] as Geometry;
    const size = Math.hypot(...[0, 1, 2].map((k) => nth(corners(g), 3 + k) - nth(corners(g), k)));
    for (const [k, v] of corners(g).entries()) expect(Math.abs(v - nth(corners(other), k))).toBeLessThan(0.01 * size);
    expect(g.faces.length).toBe(other.faces.length);
    const [own, their] = [areas(g), areas(other)];
    for (let f = 0; f < g.faces.length; f += FACE_STRIDE) {
      // All but which triangles they are.
      expectClose(g.faces.subarray(f + 2, f + FACE_STRIDE), other.faces.subarray(f + 2, f + FACE_STRIDE), 1e-6);
      const [x, y] = [nth(own, f / FACE_STRIDE), nth(their, f / FACE_STRIDE)];
      expect(Math.abs(x - y)).toBeLessThan(0.02 * Math.max(x, y) + 1e-4 * size * size);
    }
  }
}
