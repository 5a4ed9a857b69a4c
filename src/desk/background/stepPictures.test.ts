import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { compile } from "../../core/program/compile";
import { createPose, sample } from "../../core/program/sampling";
import { pictureKey, signature } from "./stepPictures";

const program = compile(
  smallIndex(),
  preparation(),
  sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 10 })], camera: [key("c", 2, 0.5, { azimuth: 90 })] }]),
);
const sign = (t: number) => {
  const at = createPose(program);
  sample(program, seconds(t), at);
  return signature(at);
};

describe("pictures of steps", () => {
  test("are drawn again only where something is to be seen otherwise: a part, or the camera", () => {
    expect(sign(0)).toBe(sign(0.5));
    expect(sign(1)).not.toBe(sign(0.5));
    expect(sign(1.6)).toBe(sign(1.9));
    expect(sign(2.3)).not.toBe(sign(1.9));
  });
  test("belong to their sequence, since two may have steps of one id", () => {
    expect(pictureKey("a", "step1")).not.toBe(pictureKey("b", "step1"));
  });
});
