import { expect, test } from "vitest";
import { keptLight, lightBytes, lightsBytes, takeLight, takeLights } from "./keptLight";

test("a map of light is worked out once", () => {
  expect(keptLight("evening")).toBe(keptLight("evening"));
});

test("a map of light that was worked out elsewhere is taken over as it is, and what is no map is not", () => {
  const bytes = lightBytes("evening");
  const own = keptLight("window");
  const back = lightBytes("window");
  takeLight("window", bytes.subarray(2));
  expect(keptLight("window")).toBe(own);
  takeLight("window", bytes);
  expect(keptLight("window")).toEqual(keptLight("evening"));
  takeLight("window", back);
  expect(keptLight("window")).toEqual(own);
});

test("several go together, and each is taken from its place", () => {
  const [bench, window] = [lightBytes("bench"), lightBytes("window")];
  takeLights(["window", "bench"], lightsBytes(["bench", "window"]));
  expect([lightBytes("window"), lightBytes("bench")]).toEqual([bench, window]);
  takeLights(["window", "bench"], lightsBytes(["bench", "window"]));
  expect([lightBytes("window"), lightBytes("bench")]).toEqual([window, bench]);
  takeLights([], lightsBytes([]));
});
