import { expect, test } from "vitest";
import { linearOf, packLinear, srgbByte } from "./srgb";

test("colours go there and back, and stay colours whatever comes in", () => {
  for (let byte = 0; byte < 256; byte++) expect(srgbByte(linearOf(byte / 255))).toBe(byte);
  expect(packLinear(1, 0, linearOf(128 / 255))).toBe(0xff0080);
  // A file may say more than white and less than black.
  expect(packLinear(1.7, -0.2, 0.5)).toBe((255 << 16) | (0 << 8) | srgbByte(0.5));
});
