import { expect, test } from "vitest";
import { cubePackage, smallIndex } from "../../../tests/support/assembly";
import { FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../geometry/geometry";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { axesAbout, type Body, bodyOf, candidateLines, sameLine } from "./bodies";

test("a body has the corners of its parts where they stand, its box round them, and its triangles over them", () => {
  const index = smallIndex();
  const { geometries } = cubePackage();
  const [arm, b] = ["root/arm", "root/arm/b"].map((k) => index.indexOf.get(k) as number) as [number, number];
  const g = geometries[0];
  if (!g) throw new Error("no geometry");
  const cornersOf = (node: number): Triple[] =>
    Array.from({ length: g.positions.length / 3 }, (_, i) =>
      transformPoint(
        index.homeWorld,
        [nth(g.positions, 3 * i), nth(g.positions, 3 * i + 1), nth(g.positions, 3 * i + 2)],
        16 * node,
      ),
    );
  const whole = bodyOf("arm", index, geometries, index.homeWorld, [arm]);
  const expected = [...cornersOf(arm + 1), ...cornersOf(b)];
  expect(Array.from(whole.positions)).toEqual(expected.flat());
  for (const k of [0, 1, 2]) {
    expect(whole.min[k]).toBe(Math.min(...expected.map((p) => nth(p, k))));
    expect(whole.max[k]).toBe(Math.max(...expected.map((p) => nth(p, k))));
  }
  const count = g.positions.length / 3;
  expect(Array.from(whole.indices)).toEqual([...g.indices, ...Array.from(g.indices, (i) => i + count)]);
  // Without one of them, the other alone.
  const less = bodyOf("arm", index, geometries, index.homeWorld, [arm], new Set([b]));
  expect(Array.from(less.positions)).toEqual(cornersOf(arm + 1).flat());
});

test("one line is itself whichever way it points and wherever its point lies on it", () => {
  const line = { point: [1, 2, 3] as Triple, direction: [0, 0.6, 0.8] as Triple };
  expect(sameLine(line, { point: [1, 2 + 6, 3 + 8], direction: [0, -0.6, -0.8] })).toBe(true);
  expect(sameLine(line, { point: [1.5, 2, 3], direction: [0, 0.6, 0.8] })).toBe(false);
  expect(sameLine(line, { point: [1, 2, 3], direction: [0, 0.8, 0.6] })).toBe(false);
});

test("lines to be tried are the assembly's own and the weightiest others, each once and no more than asked for", () => {
  const axis = (x: number, y: number, weight: number) => ({ point: [0, 0, 0], direction: [x, y, 0], weight });
  const bodies = [
    { axes: [axis(0.6, 0.8, 1), axis(1, 0, 50), axis(0.8, 0.6, 3)] },
    { axes: [axis(-0.6, -0.8, 4), axis(0.28, 0.96, 2)] },
  ] as unknown as Body[];
  const three = candidateLines([], 9);
  expect(candidateLines(bodies, 9).slice(3)).toEqual([
    [0.6, 0.8, 0],
    [0.8, 0.6, 0],
    [0.28, 0.96, 0],
  ]);
  expect(candidateLines(bodies, 5)).toEqual([...three, [0.6, 0.8, 0], [0.8, 0.6, 0]]);
});

/** Round faces beside one another along x, each of one triangle; the sizes are the areas, mm2. */
function pins(sizes: readonly number[]): Geometry {
  const positions = new Float32Array(9 * sizes.length);
  const faces = new Float64Array(FACE_STRIDE * sizes.length);
  sizes.forEach((area, f) => {
    positions.set([0, 0, 0, 2 * area, 0, 0, 0, 1, 0], 9 * f);
    faces.set([f, 1, SURFACE_KINDS.indexOf("cylinder"), 10 * f, 0, 0, 0, 0, 1, 1, 0, -1], FACE_STRIDE * f);
  });
  const indices = Uint32Array.from({ length: 3 * sizes.length }, (_, i) => i);
  return {
    id: "g",
    positions,
    normals: positions,
    indices,
    faces,
    edges: new Float32Array(),
    bounds: { min: [0, 0, 0], max: [1, 1, 1] },
  };
}
const at = (x: number) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, 0, 0, 1];
/** Of two nodes, 5 mm apart. */
const HERE = Float64Array.from([...at(0), ...at(5)]);

test("axes of round faces stand where their part does, along one line joined, the largest first", () => {
  const g = pins([3, 7]);
  const axes = axesAbout(
    [
      { g, node: 0 },
      { g, node: 1 },
      { g, node: 0 },
    ],
    HERE,
  );
  expect(axes.map((a) => [a.point[0], a.weight])).toEqual([
    [10, 14],
    [15, 7],
    [0, 6],
    [5, 3],
  ]);
});

test("of very many round faces the largest are looked at: each is compared with each", () => {
  const sizes = Array.from({ length: 1500 }, (_, i) => 1 + ((i * 7) % 1500));
  const axes = axesAbout([{ g: pins(sizes), node: 0 }], HERE);
  expect(axes).toHaveLength(600);
  expect(axes.map((a) => a.weight)).toEqual(Array.from({ length: 600 }, (_, i) => 1500 - i));
  // Each where it belongs.
  for (const a of axes) expect(sizes[a.point[0] / 10]).toBe(a.weight);
});
