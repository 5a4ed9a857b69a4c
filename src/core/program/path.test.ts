import { describe, expect, test } from "vitest";
import { CAMERA, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { nth } from "../math/packed";
import { compile } from "./compile";
import { cameraAt, localMiddle, nodePath, stepFrames } from "./path";
import { pose } from "./pose";
import { createPose } from "./sampling";

const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const index = smallIndex();
const node = index.indexOf.get("root/arm/b") as number;
const sequence = sequenceOf([
  { "root/arm": [key("a", 2, 2, { "slide.x": 60 }, STEADY)], camera: [key("c", 2, 2, { azimuth: 90 }, STEADY)] },
  {},
]);
const program = compile(index, preparation(), sequence);

describe("paths", () => {
  test("the frames of a step, thinned evenly where there are too many", () => {
    const frames = stepFrames(program, "s0", 1000);
    expect([frames.length, frames[0], frames.at(-1)]).toEqual([91, 0, seconds(3)]);
    const thin = stepFrames(program, "s0", 20);
    expect(thin.length).toBeLessThanOrEqual(20);
    expect(new Set(thin.slice(1).map((t, i) => t - nth(thin, i))).size).toBe(1);
    expect(stepFrames(program, "gone", 20)).toEqual([]);
  });
  test("equal times are equal ways at steady speed, and a part goes with what carries it", () => {
    const times = [0.5, 1, 1.5, 2, 2.5].map(seconds);
    const points = nodePath(program, node, times);
    const middle = localMiddle(index, node);
    expect(middle.every((v) => Math.abs(v) < 1e-9)).toBe(true);
    for (let i = 1; i < times.length; i++) {
      const step = [0, 1, 2].map((k) => nth(points, 3 * i + k) - nth(points, 3 * i - 3 + k));
      expect(step.map((v) => Math.round(v * 1e3) / 1e3 + 0)).toEqual([15, 0, 0]);
    }
  });
  test("the camera's path is an arc round its aim", () => {
    const at = createPose(program);
    const out = new Float32Array(6);
    [0.5, 2.5].forEach((t, i) => {
      pose(program, seconds(t), at);
      cameraAt(program, at, out, 3 * i);
    });
    const flat = CAMERA.distance * Math.cos((20 * Math.PI) / 180);
    for (const [i, azimuth] of [30, 90].entries()) {
      expect(out[3 * i]).toBeCloseTo(flat * Math.sin((azimuth * Math.PI) / 180), 3);
      expect(out[3 * i + 1]).toBeCloseTo(-flat * Math.cos((azimuth * Math.PI) / 180), 3);
    }
  });
});
