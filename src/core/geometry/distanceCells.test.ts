import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { expect, test } from "vitest";
import { box } from "../../../tests/support/shapes";
import { DistanceCells } from "./distanceCells";

const g = box("b", 20, 20, 20);
const shape = new BufferGeometry();
shape.setAttribute("position", new BufferAttribute(g.positions, 3));
shape.setIndex(new BufferAttribute(g.indices, 1));
const cells = new DistanceCells(new MeshBVH(shape), g.bounds, 0.5);

/** How deep a place lies in the box, mm, less than 0 outside. */
const depth = (x: number, y: number, z: number) => 10 - Math.max(Math.abs(x), Math.abs(y), Math.abs(z));

test("what cells say is so, the first time and when they are asked again", () => {
  const told = { free: 0, deep: 0, unknown: 0 };
  for (let again = 0; again < 2; again++)
    for (let i = 0; i < 4000; i++) {
      const at = [37, 101, 271].map((p) => (((i * p) % 997) / 997 - 0.5) * 23) as [number, number, number];
      const side = cells.sideOf(...at, 0.2, 0.5);
      told[side]++;
      if (side === "free") expect(depth(...at)).toBeLessThanOrEqual(0.5 + 1e-6);
      if (side === "deep") expect(depth(...at)).toBeGreaterThan(0.5 - 1e-6);
    }
  // They are there to spare searching the mesh: most places are told.
  expect(told.deep).toBeGreaterThan(told.unknown);
  expect(told.free).toBeGreaterThan(0);
  expect(cells.sideOf(0, 0, 0, 0.2, 0.5)).toBe("deep");
  expect(cells.sideOf(900, 0, 0, 0.2, 0.5)).toBe("unknown");
});

test("depth is that of the solid, and none where it is little or outside", () => {
  expect(cells.depthAt(7, 0, 0, 0.5)).toBeCloseTo(3, 6);
  expect(cells.depthAt(9.8, 0, 0, 0.5)).toBe(0);
  expect(cells.depthAt(14, 0, 0, 0.5)).toBe(0);
});
