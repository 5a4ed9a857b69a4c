import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { describe, expect, test } from "vitest";
import { box, disc, gear, mesh, prism } from "../../../tests/support/shapes";
import type { Triple } from "../math/triple";
import type { Geometry } from "./geometry";
import { middleOf, rotationalOrder } from "./symmetry";

function order(g: Geometry, axis: Triple = [0, 0, 1]): number {
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(g.positions, 3));
  shape.setIndex(new BufferAttribute(g.indices.slice(), 1));
  return rotationalOrder(g, axis, new MeshBVH(shape));
}

describe("how often a part looks the same in a turn", () => {
  test.each([7, 8, 11, 12, 13, 17, 20, 24, 29, 31, 36, 41, 48, 53, 59, 60])("a gear of %i teeth", (teeth) => {
    expect(order(gear(teeth))).toBe(teeth);
  });
  test("a mark on one tooth of many does not count; on an axle of two it does", () => {
    expect(order(gear(24, true))).toBe(24);
    const half = prism(
      "half",
      [
        [10, 0],
        [0, 10],
        [-10, 0],
        [0, -4],
      ],
      5,
    );
    expect(order(half)).toBe(1);
  });
  test("about another axis it is another order", () => {
    const plate = box("plate", 20, 20, 4);
    expect(order(plate)).toBe(4);
    expect(order(plate, [1, 0, 0])).toBe(2);
    expect(order(plate, [1, 1, 1])).toBe(1);
    expect(order(box("brick", 30, 20, 4))).toBe(2);
  });
  test("what is round looks the same at any angle, however coarsely it is meshed", () => {
    for (const edges of [24, 36, 48, 96]) expect(order(disc(20, 6, edges))).toBe(0);
    expect(
      order(
        prism(
          "hexagon",
          Array.from(
            { length: 6 },
            (_, i) => [10 * Math.cos((i * Math.PI) / 3), 10 * Math.sin((i * Math.PI) / 3)] as const,
          ),
          8,
        ),
      ),
    ).toBe(6);
  });
  test("nothing, and what lies on its axis, are no wheels", () => {
    expect(order(mesh("none", [0, 0, 0, 1, 0, 0, 0, 1, 0], []))).toBe(1);
    expect(middleOf(mesh("none", [], []))).toEqual([0, 0, 0]);
  });
  test("the middle is that of the surface", () => {
    const g = box("b", 4, 2, 2);
    const off = mesh(
      "off",
      Array.from(g.positions).map((v, i) => v + [5, -3, 2][i % 3]!),
      Array.from(g.indices),
    );
    middleOf(off).forEach((v, k) => {
      expect(v).toBeCloseTo([5, -3, 2][k] as number, 5);
    });
  });
});
