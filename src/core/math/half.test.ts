import fc from "fast-check";
import { DataUtils } from "three";
import { expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { HALF_MOST, halfOf } from "./half";

test("numbers in half precision are the nearest there is, small and large, and end at the ends", () => {
  expect([0, 1, 2, 0.5, HALF_MOST, 1e9, -3].map(halfOf)).toEqual([0, 0x3c00, 0x4000, 0x3800, 0x7bff, 0x7bff, 0]);
  expect([2 ** -24, 2 ** -14, 3 * 2 ** -24].map(halfOf)).toEqual([1, 0x400, 3]);
  fc.assert(
    fc.property(real(-24, 15.9), (power) => {
      const value = Math.fround(2 ** power);
      const half = halfOf(value);
      const off = (h: number) => Math.abs(DataUtils.fromHalfFloat(h) - value);
      expect(off(half)).toBeLessThanOrEqual(Math.min(off(half + 1), off(Math.max(0, half - 1))) + 1e-12);
    }),
    { endOnFailure: true },
  );
});
