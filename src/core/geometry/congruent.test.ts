import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { AssemblyNode } from "../assembly/assembly";
import { setIdentity, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { quaternionFromAxis } from "../math/rotation";
import type { Triple } from "../math/triple";
import { rigidBetween, shareCongruent } from "./congruent";
import { FACE_STRIDE, type Geometry } from "./geometry";

const identity: number[] = [];
setIdentity(identity);
// Whole numbers: doubles are drawn from all magnitudes, and most of them are next to nothing.
const coordinate = fc.integer({ min: -400, max: 400 }).map((v) => v / 10);
/** Points of a body like no other: spread out, with three different extents. */
const cloud = fc
  .array(fc.tuple(coordinate, coordinate, coordinate), { minLength: 12, maxLength: 30 })
  .map((ps): Triple[] => [
    ...ps.map(([x, y, z], i): Triple => [2 * x + i, y, 0.4 * z]),
    // However few or flat the others are, these make a body that is no mirror image of itself.
    ...([
      [190, 3, 2],
      [-7, 95, -4],
      [11, -8, 47],
      [-90, -31, -12],
    ] as Triple[]),
  ])
  .filter((ps) => new Set(ps.map((p) => p.map(Math.round).join())).size === ps.length);
const placing = fc
  .tuple(coordinate, coordinate, coordinate, coordinate, coordinate, coordinate, fc.integer({ min: -180, max: 180 }))
  .filter(([, , , a, b, c]) => Math.hypot(a, b, c) > 1)
  .map(([x, y, z, a, b, c, deg]) => {
    const n = Math.hypot(a, b, c);
    return rigid([a / n, b / n, c / n], deg, [x, y, z]);
  });

/** A turn about an axis through the origin and a shift, 16 numbers. */
function rigid(axis: Triple, deg: number, shift: Triple): number[] {
  const [x, y, z, w] = quaternionFromAxis(axis, deg);
  return [
    ...[1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w), 0],
    ...[2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w), 0],
    ...[2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y), 0],
    ...[...shift, 1],
  ];
}

function body(points: readonly Triple[], colour = -1, id = "b"): Geometry {
  const indices = points.slice(2).flatMap((_, i) => [0, i + 1, i + 2]);
  const face = new Float64Array(FACE_STRIDE);
  face[1] = indices.length / 3;
  face[11] = colour;
  return {
    id,
    positions: Float32Array.from(points.flat()),
    normals: new Float32Array(3 * points.length),
    indices: Uint32Array.from(indices),
    faces: face,
    edges: new Float32Array(),
    bounds: { min: [0, 0, 0], max: [1, 1, 1] },
  };
}
const moved = (points: readonly Triple[], m: readonly number[]) => points.map((p) => transformPoint(m, p));
const apart = (a: Triple, b: Triple) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
/** How far from the nearest of some points a point lies. */
const nearest = (p: Triple, all: readonly Triple[]) => Math.min(...all.map((q) => apart(p, q)));

describe("the same body in another place", () => {
  test("is found, point by point", () => {
    fc.assert(
      fc.property(cloud, placing, (points, m) => {
        const t = rigidBetween(body(points), body(moved(points, m)));
        expect(t).not.toBeNull();
        for (const p of points)
          expect(apart(transformPoint(t as number[], p), transformPoint(m, p))).toBeLessThan(0.01);
      }),
    );
  });

  test("is found in any order of its points", () => {
    fc.assert(
      fc.property(cloud, placing, fc.integer({ min: 1, max: 11 }), (points, m, by) => {
        const there = moved(points, m);
        const t = rigidBetween(body(points), body([...there.slice(by), ...there.slice(0, by)].reverse()));
        // Where two extents are alike, nothing is certain, and none is given.
        if (t === null) return;
        for (const p of points) expect(nearest(transformPoint(t, p), there)).toBeLessThan(0.02);
      }),
    );
    const own: Triple[] = [
      [0, 0, 0],
      [50, 1, 0],
      [50, 22, 3],
      [4, 20, 1],
      [9, 3, 11],
      [30, 7, -6],
    ];
    const m = rigid([0.6, 0, 0.8], 77, [5, -40, 300]);
    const there = moved(own, m);
    const t = rigidBetween(body(own), body([...there].reverse()));
    expect(t).not.toBeNull();
    for (const p of own) expect(apart(transformPoint(t as number[], p), transformPoint(m, p))).toBeLessThan(0.01);
  });

  test("is not its mirror image, nor a larger one, nor one with a point elsewhere", () => {
    fc.assert(
      fc.property(cloud, placing, fc.integer({ min: 0, max: 11 }), (points, m, one) => {
        const mirrored = moved(
          points.map(([x, y, z]): Triple => [-x, y, z]),
          m,
        );
        expect(rigidBetween(body(points), body(mirrored))).toBeNull();
        const larger = moved(
          points.map(([x, y, w]): Triple => [1.01 * x, 1.01 * y, 1.01 * w]),
          m,
        );
        expect(rigidBetween(body(points), body(larger))).toBeNull();
        const bent = moved(
          points.map(([x, y, w], i): Triple => (i === one ? [x, y, w + 1.5] : [x, y, w])),
          m,
        );
        expect(rigidBetween(body(points), body(bent))).toBeNull();
      }),
    );
  });
});

test("bodies that lost their instances share one shape again; every one stays where it was, in its own colour", () => {
  const points: Triple[] = [
    [0, 0, 0],
    [30, 2, 1],
    [28, 17, 4],
    [3, 12, 9],
  ];
  const m = rigid([0, 0.6, 0.8], 40, [100, -20, 7]);
  const home = rigid([1, 0, 0], 90, [0, 0, 50]);
  const node = (key: string, geometry: number, at: readonly number[]): AssemblyNode =>
    ({ key, name: key, kind: "part", parent: -1, geometry, home: at }) as unknown as AssemblyNode;
  const other: Triple[] = points.map(([x, y, z]) => [x, y * 2, z]);
  const given = [
    body(points, -1, "a"),
    body(other, -1, "o"),
    body(moved(points, m), -1, "b"),
    body(points, 0xff0000, "red"),
  ];
  const nodes = [
    node("one", 0, identity),
    node("two", 2, home),
    node("other", 1, home),
    node("red", 3, identity),
    node("folder", -1, home),
  ];
  const out = shareCongruent(nodes, given);
  expect(out.recognised).toBe(1);
  expect(out.geometries.map((g) => g.id)).toEqual(["a", "o", "red"]);
  expect(out.nodes.map((n) => n.geometry)).toEqual([0, 0, 1, 2, -1]);
  const world = (n: AssemblyNode, geometries: readonly Geometry[]) => {
    const g = geometries[n.geometry];
    return Array.from({ length: (g?.positions.length ?? 0) / 3 }, (_, i) =>
      transformPoint(n.home, [
        nth(g?.positions ?? [], 3 * i),
        nth(g?.positions ?? [], 3 * i + 1),
        nth(g?.positions ?? [], 3 * i + 2),
      ]),
    );
  };
  nodes.forEach((n, i) => {
    const [before, now] = [world(n, given), world(out.nodes[i] as AssemblyNode, out.geometries)];
    for (const [k, p] of before.entries()) expect(apart(p, now[k] as Triple)).toBeLessThan(1e-3);
  });
  // Rounding is taken off: the axes are square and of length 1 to the last place.
  const t = (out.nodes[1] as AssemblyNode).home;
  expect(Math.abs(nth(t, 0) * nth(t, 4) + nth(t, 1) * nth(t, 5) + nth(t, 2) * nth(t, 6))).toBeLessThan(1e-12);
  expect(shareCongruent(nodes.slice(2), given.slice(1)).recognised).toBe(0);
});
