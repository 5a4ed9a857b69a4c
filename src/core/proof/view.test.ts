import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { Projection, WIDE } from "../drawing/projection";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import type { Program } from "../program/program";
import type { Pose } from "../program/sampling";
import { type Box, outside, shareOf, View, within } from "./view";

const PICTURE = { width: 1600, height: 900 };
const program = {
  sequence: { picture: PICTURE },
  index: { assembly: { up: "z" } },
} as unknown as Program;

/** A frame that is turned, enlarged and put somewhere; the second of two, as a node has it. */
const frame = fc
  .tuple(real(-3, 3), real(-1.5, 1.5), real(0.2, 4), real(-60, 60), real(-60, 60), real(-60, 60))
  .map(([a, b, s, x, y, z]) => {
    const [ca, sa, cb, sb] = [Math.cos(a), Math.sin(a), Math.cos(b), Math.sin(b)];
    const own = [
      s * ca * cb,
      s * sa * cb,
      -s * sb,
      0,
      -s * sa,
      s * ca,
      0,
      0,
      s * ca * sb,
      s * sa * sb,
      s * cb,
      0,
      x,
      y,
      z,
      1,
    ];
    return { own, world: Float64Array.from([...new Array(16).fill(0), ...own]) };
  });
const camera = fc
  .tuple(
    real(-20, 20),
    real(-20, 20),
    real(-20, 20),
    real(-170, 170),
    real(-80, 80),
    real(60, 300),
    real(-90, 90),
    real(20, 90),
  )
  .map((values) => Float64Array.from(values));
const pose = fc
  .tuple(frame, camera)
  .map(([f, c]) => ({ own: f.own, at: { world: f.world, camera: c } as unknown as Pose }));
const point = fc.tuple(real(-10, 10), real(-10, 10), real(-10, 10));

const placed = (own: readonly number[], p: readonly number[]): Triple =>
  [0, 1, 2].map(
    (r) => nth(own, r) * nth(p, 0) + nth(own, 4 + r) * nth(p, 1) + nth(own, 8 + r) * nth(p, 2) + nth(own, 12 + r),
  ) as Triple;

/** Where a place lies by the drawing's own projection: shares of the half picture, and how far ahead. */
function seen(at: Pose, p: Triple): { u: number; v: number; ahead: number } {
  const drawing = new Projection(at.camera, "z", PICTURE);
  const out = new Float64Array(3);
  const ahead = drawing.ahead(...p);
  // The drawing leaves out what is very near; shares are its own all the same.
  drawing.project(...p, out);
  return { u: (2 * nth(out, 0)) / WIDE - 1, v: 1 - (2 * nth(out, 1)) / drawing.high, ahead };
}
const isNear = (at: Pose, ahead: number) => ahead < 0.02 * nth(at.camera, 5) + 1e-6;

/** Places evenly over a sphere. */
const SPHERE = Array.from({ length: 300 }, (_, i): Triple => {
  const z = 1 - (2 * i + 1) / 300;
  const a = i * 2.399963;
  const r = Math.sqrt(1 - z * z);
  return [r * Math.cos(a), r * Math.sin(a), z];
});

describe("what is seen of things", () => {
  test("the box round points is that of the drawing's own projection", () => {
    fc.assert(
      fc.property(pose, fc.array(point, { minLength: 1, maxLength: 5 }), ({ own, at }, points) => {
        const view = new View(program);
        view.look(at);
        const box = view.project(at, 1, points.flat());
        const all = points.map((p) => seen(at, placed(own, p)));
        fc.pre(all.every((s) => s.ahead <= 0 || !isNear(at, s.ahead)));
        const before = all.filter((s) => s.ahead > 0);
        expect(box.behind).toBe(before.length < all.length);
        if (before.length === 0) {
          expect(outside({ ...box, behind: false })).toBe(true);
          return;
        }
        expect(box.left).toBeCloseTo(Math.min(...before.map((s) => s.u)), 6);
        expect(box.right).toBeCloseTo(Math.max(...before.map((s) => s.u)), 6);
        expect(box.bottom).toBeCloseTo(Math.min(...before.map((s) => s.v)), 6);
        expect(box.top).toBeCloseTo(Math.max(...before.map((s) => s.v)), 6);
        expect(view.ahead(at, 1, points[0] as Triple)).toBeCloseTo((all[0] as { ahead: number }).ahead, 6);
        const pixel = view.pixel(at, 1, points[0] as Triple);
        const first = all[0] as { u: number; v: number; ahead: number };
        if (first.ahead <= 0) expect(pixel).toBeNull();
        else {
          expect(pixel?.x).toBeCloseTo(((first.u + 1) / 2) * PICTURE.width, 3);
          expect(pixel?.y).toBeCloseTo(((1 - first.v) / 2) * PICTURE.height, 3);
        }
      }),
    );
  });

  test("a sphere that is said to be inside, outside, so wide or so low is", () => {
    let [inside, out] = [0, 0];
    fc.assert(
      fc.property(pose, point, real(0.2, 12), ({ own, at }, middle, radius) => {
        const view = new View(program);
        view.look(at);
        const told = { ...view.sphere(at, 1, middle, radius) };
        const lowest = view.lowest(at, 1, middle, radius);
        const all = SPHERE.map((d) =>
          seen(
            at,
            placed(
              own,
              d.map((v, k) => nth(middle, k) + radius * v),
            ),
          ),
        );
        const centre = seen(at, placed(own, middle));
        const r = radius * Math.hypot(nth(own, 0), nth(own, 1), nth(own, 2));
        if (centre.ahead <= r) {
          expect(told).toMatchObject({ inside: false, outside: false, size: 1 });
          expect(lowest).toBe(Number.NEGATIVE_INFINITY);
          return;
        }
        fc.pre(!all.some((s) => isNear(at, s.ahead)) && !isNear(at, centre.ahead));
        const within = all.map((s) => Math.abs(s.u) <= 1 && Math.abs(s.v) <= 1);
        if (told.inside) expect(within.every(Boolean)).toBe(true);
        if (told.outside) expect(within.some(Boolean)).toBe(false);
        inside += told.inside ? 1 : 0;
        out += told.outside ? 1 : 0;
        // Far from the edge it is never left open.
        if (all.every((s) => Math.abs(s.u) < 0.6 && Math.abs(s.v) < 0.6)) expect(told.inside).toBe(true);
        if (Math.abs(centre.u) > 3 && all.every((s) => Math.abs(s.u) > 2)) expect(told.outside).toBe(true);
        const least = Math.min(...all.map((s) => s.v));
        expect(lowest).toBeLessThanOrEqual(least + 1e-9);
        const tan = 18 / nth(at.camera, 7);
        expect(told.size).toBeCloseTo(r / centre.ahead / tan, 6);
        // A little less at most: by what the sphere's own depth makes of it.
        if (r < 0.1 * centre.ahead && Math.abs(centre.v) < 1)
          expect(lowest).toBeGreaterThan(least - Math.max(0.1, told.size));
      }),
      { numRuns: 200, endOnFailure: true },
    );
    expect(inside).toBeGreaterThan(5);
    expect(out).toBeGreaterThan(5);
  });

  const box = (left: number, right: number, bottom: number, top: number, behind = false): Box => ({
    ...{ left, right, bottom, top, behind },
  });
  test.each([
    ["in the middle", box(-0.5, 0.5, -0.2, 0.2), true, false, 0.1],
    ["all of it", box(-1, 1, -1, 1), true, false, 1],
    ["over the left edge", box(-2, 0, -1, 1), false, false, 0.5],
    ["over the upper edge", box(-1, 1, 0, 5), false, false, 0.5],
    ["left of it", box(-3, -1.5, 0, 1), false, true, 0],
    ["right of it", box(1.5, 3, 0, 1), false, true, 0],
    ["above it", box(0, 1, 1.5, 3), false, true, 0],
    ["below it", box(0, 1, -3, -1.5), false, true, 0],
    ["partly behind the camera", box(-0.5, 0.5, -0.5, 0.5, true), false, false, 1],
  ])("a box %s", (_, b, inside, out, share) => {
    expect([within(b), outside(b)]).toEqual([inside, out]);
    expect(shareOf(b)).toBeCloseTo(share, 12);
  });
});
