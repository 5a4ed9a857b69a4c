import { describe, expect, test } from "vitest";
import { cubePackage } from "../../../tests/support/assembly";
import { distance, lengthOf } from "../math/triple";
import { edgeChain, FEATURE_KINDS, featureAt, nearestSegment } from "./features";
import type { Geometry } from "./geometry";

const cube = cubePackage().geometries[0] as Geometry;
/** Number of a triangle of the face that looks along an axis. */
const triangleOf = (axis: 0 | 1 | 2, side: 1 | -1) => {
  for (let t = 0; t < cube.indices.length / 3; t++) {
    const v = cube.indices[3 * t] ?? 0;
    if (Math.round(cube.normals[3 * v + axis] ?? 0) === side) return t;
  }
  throw new Error("no such face");
};
const top = triangleOf(2, 1);

describe("what is meant by pointing at a cube of 10 mm", () => {
  test("in the middle of a face it is the face, with the way it looks", () => {
    const face = featureAt(cube, top, [1, 2, 5], 0.5);
    expect(face?.kind).toBe("face");
    expect(face?.direction?.map((v) => Math.round(v * 1e6) / 1e6)).toEqual([0, 0, 1]);
    expect(face?.point[2]).toBeCloseTo(5, 9);
    expect(featureAt(cube, triangleOf(0, -1), [-5, 1, 1], 0.5)?.direction?.[0]).toBeCloseTo(-1, 9);
  });
  test("near an edge it is the middle of the edge, near a corner the corner, as far as the reach goes", () => {
    const edge = featureAt(cube, top, [4.9, 1, 5], 0.3);
    expect(edge?.kind).toBe("edge-middle");
    expect(distance(edge?.point as [number, number, number], [5, 0, 5])).toBeLessThan(1e-6);
    expect(Math.abs(edge?.direction?.[1] ?? 0)).toBeCloseTo(1, 9);
    const corner = featureAt(cube, top, [4.9, -4.9, 5], 0.3);
    expect([corner?.kind, corner?.point]).toEqual(["corner", [5, -5, 5]]);
    expect(featureAt(cube, top, [4.9, -4.9, 5], 0.05)?.kind).toBe("face");
  });
  test("only what is asked for counts", () => {
    expect(featureAt(cube, top, [4.9, -4.9, 5], 0.3, ["face"])?.kind).toBe("face");
    expect(featureAt(cube, top, [4.9, -4.9, 5], 0.3, ["edge-middle"])?.kind).toBe("edge-middle");
    expect(featureAt(cube, top, [1, 1, 5], 0.3, ["corner"])).toBeNull();
    expect(featureAt(cube, top, [1, 1, 5], 0.3, ["circle", "axis"])).toBeNull();
    expect(FEATURE_KINDS).toContain("axis");
  });
  test("the nearest edge is found with its distance, beyond its ends too", () => {
    const near = nearestSegment(cube, [5, 2, 6], 3);
    expect(near.segment).toBeGreaterThanOrEqual(0);
    expect(near.distance).toBeCloseTo(1, 9);
    expect(nearestSegment(cube, [7, 7, 5], 5).distance).toBeCloseTo(lengthOf([2, 2, 0]), 9);
    expect(nearestSegment(cube, [0, 0, 5], 1).segment).toBe(-1);
  });
});

test("an edge is followed from wherever it is met: round until it closes, or to its ends", () => {
  const corners = (n: number, of: number) =>
    Array.from({ length: n }, (_, i) => {
      const a = (2 * Math.PI * i) / of;
      return [10 * Math.cos(a), 10 * Math.sin(a), 0];
    });
  const along = (points: number[][]) =>
    Float32Array.from(points.slice(1).flatMap((p, i) => [...(points[i] as number[]), ...p]));
  const round = { ...cube, edges: along(corners(25, 24)) };
  const half = { ...cube, edges: along(corners(13, 24)) };
  for (const segment of [0, 5, 11]) {
    const whole = edgeChain(round, segment);
    expect([whole.closed, whole.points.length]).toEqual([true, 75]);
    const open = edgeChain(half, segment);
    expect([open.closed, open.points.length]).toEqual([false, 39]);
  }
});
