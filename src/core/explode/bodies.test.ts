import { expect, test } from "vitest";
import { cubePackage, smallIndex } from "../../../tests/support/assembly";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { bodyOf, sameLine } from "./bodies";

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
