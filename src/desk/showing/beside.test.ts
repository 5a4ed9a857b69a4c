import { expect, test } from "vitest";
import { besideOf } from "./beside";

const frame = { left: 250, top: 90, right: 1000, bottom: 580 };
const size = { width: 360, height: 400 };

test("beside what is looked at, on the side where it covers less of it", () => {
  expect(besideOf(frame, size, null)).toMatchObject({ left: 628, top: 90 });
  expect(besideOf(frame, size, { left: 700, top: 100, right: 900, bottom: 400 }).left).toBe(262);
  expect(besideOf(frame, size, { left: 300, top: 100, right: 500, bottom: 400 }).left).toBe(628);
  // Over both, the one that hides less; below both, it does not matter.
  expect(besideOf(frame, size, { left: 300, top: 100, right: 990, bottom: 400 }).left).toBe(262);
  expect(besideOf(frame, size, { left: 300, top: 500, right: 990, bottom: 560 }).left).toBe(628);
});

test("a frame that is too small keeps it at its left edge", () => {
  expect(besideOf({ ...frame, right: 500 }, size, null).left).toBe(262);
});
