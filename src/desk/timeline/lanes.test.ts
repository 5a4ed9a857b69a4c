import { expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { compile } from "../../core/program/compile";
import { lanesOf } from "./lanes";

test("a lane for each thing that moves, in order of first arrival, the camera's last; blank where nothing changes", () => {
  const sequence = sequenceOf([
    {
      camera: [key("c", 0.5, 0.5, { azimuth: 90 })],
      "root/base": [key("b", 1.5, 0.5, { "slide.x": 5 }), key("same", 2, 0.4, { "slide.x": 5 })],
    },
    { "root/arm": [key("a", 1, 9, { "turn.x": 90 })] },
  ]);
  const lanes = lanesOf(compile(smallIndex(), preparation(), sequence), sequence);
  expect(lanes.map((l) => l.id)).toEqual(["n:root/base", "n:root/arm", "c:main"]);
  expect(lanes[0]?.pins.map((p) => p.at)).toEqual([seconds(1.5), seconds(2)]);
  // The second arrival is at the value already there: a pin, but no motion.
  expect(lanes[0]?.stretches.map((s) => [s.t0, s.t1])).toEqual([[seconds(1), seconds(1.5)]]);
  expect(lanes[1]?.pins[0]?.shortened).toBe(true);
  const stretch = lanes[0]?.stretches[0];
  const speed = [...(stretch?.course ?? [])].map((v) => v * (stretch?.scale ?? 0));
  expect([speed[0], speed.at(-1), Math.max(...speed)]).toEqual([0, 0, 1]);
});
