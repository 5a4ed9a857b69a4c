import { expect, test } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { besideOf, seenAt } from "./beside";

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

test("what is seen is round the corners of the boxes as they stand, and nothing where all is behind", () => {
  const s = sequenceOf([{}]);
  const desk = smallDesk(s);
  const { index } = desk;
  const canvas = { getBoundingClientRect: () => ({ left: 100, top: 40 }) };
  // Seen along Y, ten pixels a millimetre; what lies beyond y = 1000 is behind.
  const toScreen = ([x, y, z]: readonly number[]) =>
    (y as number) > 1000 ? null : { x: 10 * (x as number), y: -10 * (z as number) };
  Object.defineProperty(desk, "view", {
    value: { canvas, currentPose: { world: index.homeWorld }, cameras: { toScreen } },
  });
  const node = (key: string) => ({ type: "node", key }) as const;
  // b: turned by a quarter with its arm, at (70, 0, 7); its box is 10 mm wide each way.
  expect(seenAt(desk, [node("root/arm/b")])).toEqual({ left: 750, right: 850, top: -80, bottom: 20 });
  expect(seenAt(desk, [node("root/base")])).toEqual({ left: 50, right: 150, top: -10, bottom: 90 });
  const both = seenAt(desk, [node("root/base"), node("root/arm/b")]);
  expect(both).toEqual({ left: 50, right: 850, top: -80, bottom: 90 });
  index.homeWorld[16 * (index.indexOf.get("root/base") as number) + 13] = 2000;
  expect(seenAt(desk, [node("root/base")])).toBeNull();
  expect(seenAt(desk, [])).toBeNull();
});
