import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { cubePackage } from "../../../tests/support/assembly";
import { nth } from "../../core/math/packed";
import { quaternionFromAxis, rotateVector } from "../../core/math/rotation";
import type { Triple } from "../../core/math/triple";
import { buildMesh, faultWarnings, type MeshFaults } from "./build";

// Whole numbers: doubles are drawn from all magnitudes, and most of them are next to nothing.
const part = fc.integer({ min: -20, max: 20 }).map((v) => v / 20);
const placing = fc
  .tuple(part, part, part, fc.integer({ min: -180, max: 180 }), part, part, part)
  .filter(([x, y, z]) => Math.hypot(x, y, z) > 0.1)
  .map(([x, y, z, deg, a, b, c]) => {
    const n = Math.hypot(x, y, z);
    const q = quaternionFromAxis([x / n, y / n, z / n], deg);
    return {
      turn: (p: Triple): Triple => rotateVector(q, p),
      put: (p: Triple): Triple => rotateVector(q, p).map((v, k) => v + 300 * nth([a, b, c], k)) as Triple,
    };
  });
const [cube] = cubePackage().geometries;
if (!cube) throw new Error("no cube");
/** The cube's triangles, each with corners of its own. */
const loose = Array.from(
  cube.indices,
  (i): Triple => [nth(cube.positions, 3 * i), nth(cube.positions, 3 * i + 1), nth(cube.positions, 3 * i + 2)],
);
const built = (pieces: { corners: Triple[]; packed?: number }[]) => {
  const faults: MeshFaults = { degenerate: 0 };
  const g = buildMesh(
    "g",
    pieces.map((p) => ({ corners: Float64Array.from(p.corners.flat()), packed: p.packed ?? -1 })),
    "STL",
    faults,
  );
  return { g, faults };
};

describe("loose triangles", () => {
  test("of a cube become a closed one with square edges, however it lies", () => {
    fc.assert(
      fc.property(placing, ({ put, turn }) => {
        const { g, faults } = built([{ corners: loose.map(put) }]);
        expect(faults).toEqual({ degenerate: 0, open: 0 });
        expect([g?.positions.length, g?.indices.length, g?.edges.length]).toEqual([24 * 3, 36, 12 * 6]);
        loose.forEach((p, i) => {
          const v = nth(g?.indices ?? [], i);
          const t = 3 * Math.floor(i / 3);
          const [a, b, c] = [loose[t], loose[t + 1], loose[t + 2]] as [Triple, Triple, Triple];
          const axis = [0, 1, 2].find((k) => a[k] === b[k] && b[k] === c[k]) as number;
          const facing = turn([0, 1, 2].map((k) => (k === axis ? Math.sign(nth(a, k)) : 0)) as Triple);
          const here = put(p);
          for (let k = 0; k < 3; k++) {
            expect(nth(g?.positions ?? [], 3 * v + k)).toBeCloseTo(nth(here, k), 3);
            expect(nth(g?.normals ?? [], 3 * v + k)).toBeCloseTo(nth(facing, k), 4);
          }
        });
      }),
    );
  });

  test("without area are left out and counted, whatever way they lie; thin ones are kept", () => {
    fc.assert(
      fc.property(placing, ({ put }) => {
        const flat: Triple[][] = [
          [
            [0, 0, 0],
            [4, 0, 0],
            [9, 0, 0],
          ],
          [
            [1, 2, 3],
            [1, 2, 3],
            [5, 0, 1],
          ],
        ];
        const thin: Triple[] = [
          [0, 0, 0],
          [10, 0, 0],
          [5, 0.001, 0],
        ];
        const { g, faults } = built([{ corners: [...flat.flat(), ...thin].map(put) }]);
        expect(faults).toEqual({ degenerate: 2, open: 3 });
        expect(g?.indices).toHaveLength(3);
        expect(faultWarnings(faults)).toHaveLength(2);
      }),
    );
    expect(built([{ corners: loose.slice(0, 0) }]).g).toBeNull();
    expect(faultWarnings({ degenerate: 1 })).toEqual(["1 triangle has no area and was left out."]);
    expect(faultWarnings({ degenerate: 0, open: 0 })).toEqual([]);
  });

  test("of two colours are faces of their own and share no vertex; of one colour the part's own serves", () => {
    const two = built([
      { corners: loose.slice(0, 18), packed: 0xff0000 },
      { corners: loose.slice(18), packed: 0x00ff00 },
    ]);
    expect([two.g?.faces[0], two.g?.faces[1], two.g?.faces[11]]).toEqual([0, 6, 0xff0000]);
    expect([two.g?.faces[12], two.g?.faces[13], two.g?.faces[23]]).toEqual([6, 6, 0x00ff00]);
    const of = (from: number, to: number) => new Set(two.g?.indices.slice(from, to));
    for (const v of of(0, 18)) expect(of(18, 36).has(v)).toBe(false);
    expect(built([{ corners: loose, packed: 0xff0000 }]).g?.faces[11]).toBe(-1);
  });

  test("of a drum are smooth round it and sharp at its rims", () => {
    const n = 36;
    const at = (i: number, z: number): Triple => [
      10 * Math.cos((2 * Math.PI * i) / n),
      10 * Math.sin((2 * Math.PI * i) / n),
      z,
    ];
    const corners: Triple[] = [];
    for (let i = 0; i < n; i++) {
      corners.push(at(i, 0), at(i + 1, 0), at(i + 1, 5), at(i, 0), at(i + 1, 5), at(i, 5));
      corners.push([0, 0, 5], at(i, 5), at(i + 1, 5), [0, 0, 0], at(i + 1, 0), at(i, 0));
    }
    const { g, faults } = built([{ corners }]);
    expect(faults).toEqual({ degenerate: 0, open: 0 });
    // Every rim point twice: on the mantle and on its cap; and the two middles.
    expect(g?.positions).toHaveLength(3 * (4 * n + 2));
    expect(g?.edges).toHaveLength(6 * 2 * n);
    for (let v = 0; v < (g?.positions.length ?? 0) / 3; v++) {
      const [x, y, nx, ny, nz] = [
        nth(g?.positions ?? [], 3 * v),
        nth(g?.positions ?? [], 3 * v + 1),
        nth(g?.normals ?? [], 3 * v),
        nth(g?.normals ?? [], 3 * v + 1),
        nth(g?.normals ?? [], 3 * v + 2),
      ] as [number, number, number, number, number];
      if (Math.abs(nz) > 0.5) expect(Math.abs(nz)).toBeCloseTo(1, 5);
      else expect((x * nx + y * ny) / 10).toBeGreaterThan(0.99);
    }
  });
});
