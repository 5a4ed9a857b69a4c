import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../../tests/support/assembly";
import { real } from "../../../../tests/support/real";
import { BEYOND } from "../../document/keys";
import { hand } from "../../document/sequence";
import { nth } from "../../math/packed";
import { compile } from "../../program/compile";
import { createPose, sample } from "../../program/sampling";
import { ChannelReader } from "./reader";

const ARM = "root/arm";
const TARGET = { type: "node", key: ARM } as const;
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

describe("reading one channel", () => {
  test("gives what sampling the whole gives, beyond its arrivals too", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -40, max: 40 }), { minLength: 2, maxLength: 5 }),
        fc.constantFrom(...BEYOND),
        fc.constantFrom(...BEYOND),
        fc.array(real(0, 14), { minLength: 8, maxLength: 8 }),
        (values, before, after, times) => {
          const s = sequenceOf([
            {
              [ARM]: values.map((v, i) =>
                key(`k${i}`, 1 + i * 0.8, i === 0 ? 0.5 : i % 2 ? "previous" : 0.3, { "slide.x": v }),
              ),
            },
            { [ARM]: [key("z", 1.5, 1, { "slide.x": 7 })] },
          ]);
          const move = hand(s.steps.s0?.moves["m-root_arm"]);
          if (move) move.beyond = { "slide.x": { before, after } };
          const p = compile(smallIndex(), preparation(), s);
          const reader = new ChannelReader(p, TARGET, "slide.x");
          const pose = createPose(p);
          const c = p.channelOf(TARGET, "slide.x");
          for (const t of times) {
            sample(p, seconds(t), pose);
            expect(reader.at(seconds(t))).toBeCloseTo(nth(pose.values, c), 4);
          }
        },
      ),
    );
  });

  test("speeds are slopes, and jumps are where they differ on both sides", () => {
    const s = sequenceOf([
      {
        [ARM]: [
          key("a", 1, 1, { "slide.x": 10 }, STEADY),
          key("b", 1.5, "previous", { "slide.x": 40 }, STEADY),
          key("c", 3, 1, { "slide.x": 0 }),
        ],
      },
    ]);
    const reader = new ChannelReader(compile(smallIndex(), preparation(), s), TARGET, "slide.x");
    expect(reader.speed(seconds(1))).toBeCloseTo(10, 6);
    expect(reader.speed(seconds(1.7))).toBeCloseTo(60, 6);
    expect(reader.jumps().map((j) => [j.at / seconds(1), Math.round(j.before), Math.round(j.after)])).toEqual([
      [0.5, 0, 10],
      [1.5, 10, 60],
      [2, 60, 0],
    ]);
    // Getting going and coming to rest is no jump.
    expect(reader.acceleration(seconds(2.6))).toBeLessThan(0);
  });
});

test("acceleration is the change of speed, to the sign and the size", () => {
  // Getting going over the whole way: value = 30 * (t / 2)^2 on the first half of a symmetrical ease.
  const s = sequenceOf([{ [ARM]: [key("a", 2, 2, { "slide.x": 60 }, { kind: "soft", start: 0.5, stop: 0.5 })] }]);
  const reader = new ChannelReader(compile(smallIndex(), preparation(), s), TARGET, "slide.x");
  // Half a second of still, then two of the way.
  for (const t of [0.7, 1.2, 2.3]) {
    const h = 1e-3;
    const bend = (reader.at(seconds(t + h)) - 2 * reader.at(seconds(t)) + reader.at(seconds(t - h))) / (h * h);
    expect(reader.acceleration(seconds(t))).toBeCloseTo(bend, 0);
    expect(reader.acceleration(seconds(t))).not.toBeCloseTo(0, 1);
  }
});
