import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { dot, minus, shifted, type Triple, unit } from "../math/triple";
import { jointAxis } from "../program/jointFrame";
import { jointMotion } from "../program/pose";
import { axisFor, mirroredAxis, type Plane, planeBetween } from "./jointFrom";

const at = fc.tuple(real(-50, 50), real(-50, 50), real(-50, 50));
const way = at.filter((d) => Math.hypot(...d) > 1).map((d) => unit(d as Triple));

describe("a joint's mirror image", () => {
  const image = (p: Triple, plane: Plane): Triple =>
    shifted(p, plane.normal, -2 * dot(minus(p, plane.point), plane.normal));

  test.each(["hinge", "slide", "screw"] as const)("moves a %s's mirrored point where the mirror shows it", (kind) => {
    fc.assert(
      fc.property(at, way, at, way, at, real(-400, 400), (p, d, o, n, point, reading) => {
        const plane: Plane = { point: o as Triple, normal: n };
        const joint = { kind, pitch: 1.25 };
        const moved = (axis: { point: readonly number[]; direction: readonly number[] }, pitch: number, x: Triple) => {
          const m = new Float64Array(16);
          jointMotion({ joint: { kind, pitch }, ...axis } as never, reading, m);
          return transformPoint(m, x);
        };
        const axis = { point: p as Triple, direction: d };
        const { pitch, ...mirrored } = mirroredAxis(joint, axis, plane);
        const shown = image(moved(axis, joint.pitch, point as Triple), plane);
        const there = moved(mirrored, pitch, image(point as Triple, plane));
        for (const k of [0, 1, 2]) expect(nth(there, k)).toBeCloseTo(nth(shown, k), 6);
      }),
    );
  });

  test("the plane between two places is halfway, and an axis where it nearly is one", () => {
    expect(planeBetween([10, 0, 0], [-10, 0.05, 0])).toEqual({ point: [0, 0.025, 0], normal: [1, 0, 0] });
    expect(planeBetween([0, 0, 0], [0, 3, 4])?.normal).toEqual([0, 0.6, 0.8]);
    expect(planeBetween([1, 2, 3], [1, 2, 3])).toBeNull();
  });
});

test("an axis of the assembly told in a part's own frame is that axis again", () => {
  const index = smallIndex();
  const target = { type: "node", key: "root/arm/a" } as const;
  const axis = { point: [3, 4, 5] as Triple, direction: [0, 1, 0] as Triple };
  const own = axisFor(index, target, axis);
  expect(own.direction).not.toEqual(axis.direction);
  const back = jointAxis(index, { target, ...own } as never);
  for (const k of [0, 1, 2]) {
    expect(nth(back.point, k)).toBeCloseTo(nth(axis.point, k), 9);
    expect(nth(back.direction, k)).toBeCloseTo(nth(axis.direction, k), 9);
  }
});
