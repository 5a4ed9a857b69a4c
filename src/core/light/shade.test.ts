import fc from "fast-check";
import { expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "../math/packed";
import { shadeOnGround } from "./shade";

const MIDDLE = [3, -2, 1] as const;
const MOST = 1e6;

/** Where in the laid square a place on the ground is: within half of 1 both ways is in it. */
function within(m: Float64Array, place: readonly number[]): [number, number] {
  const at = [0, 1, 2].map((k) => nth(place, k) - nth(m, 12 + k));
  const along = (c: number) => {
    const side = [0, 1, 2].map((k) => nth(m, c + k));
    return side.reduce((sum, s, k) => sum + s * nth(at, k), 0) / side.reduce((sum, s) => sum + s * s, 0);
  };
  return [along(0), along(4)];
}

const direction = fc
  .tuple(real(0, 2 * Math.PI), real(0.06, Math.PI / 2))
  .map(([turn, e]) => [Math.cos(e) * Math.cos(turn), Math.cos(e) * Math.sin(turn), Math.sin(e)] as const);
const spans = fc.tuple(real(-100, 100), real(0, 80));
const shares = fc.tuple(real(0, 1), real(0, 1), real(0, 1));

test.each(["z", "y"] as const)("the shadow of every place in a box lies in it, %s being up", (up) => {
  fc.assert(
    fc.property(
      ...([direction, spans, spans, spans, shares, real(-50, 50)] as const),
      (light, sx, sy, sz, share, floor) => {
        const turned = up === "z" ? light : ([light[1], light[2], light[0]] as const);
        const h = up === "z" ? 2 : 1;
        const box = [sx[0], sy[0], sz[0], sx[0] + sx[1], sy[0] + sy[1], sz[0] + sz[1]];
        const m = new Float64Array(16);
        const found = shadeOnGround(m, box, floor, turned, up, 0.5, MIDDLE, MOST);
        const place = [0, 1, 2].map((k) => nth(box, k) + nth(share, k) * (nth(box, k + 3) - nth(box, k)));
        const height = nth(place, h) - floor;
        if (height <= 0) return;
        expect(found).toBe(true);
        const thrown = place.map((p, k) => p - (nth(turned, k) * height) / nth(turned, h));
        const [u, v] = within(m, thrown);
        expect(Math.abs(u)).toBeLessThanOrEqual(0.5);
        expect(Math.abs(v)).toBeLessThanOrEqual(0.5);
      },
    ),
    { endOnFailure: true },
  );
});

test("the square is laid face up, whichever axis is up", () => {
  for (const up of ["z", "y"] as const) {
    const m = new Float64Array(16);
    const light = up === "z" ? ([0.6, 0, 0.8] as const) : ([0.6, 0.8, 0] as const);
    shadeOnGround(m, [0, 0, 0, 10, 10, 10], 0, light, up, 1, [0, 0, 0], 100);
    const [x, y] = [m.subarray(0, 3), m.subarray(4, 7)];
    const cross = [0, 1, 2].map((k) => {
      const [i, j] = [(k + 1) % 3, (k + 2) % 3];
      return nth(x, i) * nth(y, j) - nth(x, j) * nth(y, i);
    });
    expect(cross.findIndex((c) => c > 1e-9)).toBe(up === "z" ? 2 : 1);
  }
});

test("a cube under a light at 45 degrees: as long again as it is high, with its margins", () => {
  const m = new Float64Array(16);
  const s = Math.SQRT1_2;
  expect(shadeOnGround(m, [0, 0, 0, 10, 10, 10], 0, [s, 0, s], "z", 1, [0, 0, 0], 100)).toBe(true);
  expect(m[0]).toBeCloseTo(20 + 2 / s, 9);
  expect(m[5]).toBeCloseTo(12, 9);
  expect([m[12], m[13], m[14]]).toEqual([expect.closeTo(0, 9), 5, 0]);
});

test("nothing above the ground, nothing at all, and what lies beyond the most throws no shadow", () => {
  const m = new Float64Array(16).fill(7);
  const shade = (box: number[], most = 100) => shadeOnGround(m, box, 0, [0, 0, 1], "z", 1, [0, 0, 0], most);
  expect(shade([0, 0, -5, 10, 10, 0])).toBe(false);
  expect(shade([Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity])).toBe(false);
  expect(shade([500, 0, 0, 510, 10, 10])).toBe(false);
  expect(m.every((v) => v === 7)).toBe(true);
  // A low sun: it ends where nothing goes beyond.
  expect(
    shadeOnGround(m, [0, 0, 0, 10, 10, 1000], 0, [Math.cos(0.05), 0, Math.sin(0.05)], "z", 1, [0, 0, 0], 100),
  ).toBe(true);
  expect(nth(m, 12) - nth(m, 0) / 2).toBeCloseTo(-100, 6);
});
