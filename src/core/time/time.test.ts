import fc from "fast-check";
import { describe, expect, test } from "vitest";
import {
  FRAME_RATES,
  formatRate,
  frameAt,
  frameCount,
  frameToTicks,
  parseTime,
  secondsToTicks,
  snapToFrame,
  TICKS_PER_SECOND,
  ticksPerFrame,
} from "./time";

describe("frames", () => {
  test.each(FRAME_RATES.map((r) => [r.label, r.rate] as const))(
    "a frame at %s is a whole number of ticks, and so are its 8 sub-frames",
    (_, rate) => {
      expect((TICKS_PER_SECOND * rate.den) % rate.num).toBe(0);
      expect(ticksPerFrame(rate) % 8).toBe(0);
    },
  );

  test("frame and ticks are each other's inverse, at every rate", () => {
    fc.assert(
      fc.property(fc.constantFrom(...FRAME_RATES), fc.integer({ min: 0, max: 2_000_000 }), ({ rate }, frame) => {
        const ticks = frameToTicks(frame, rate);
        expect(frameAt(ticks, rate)).toBe(frame);
        expect(frameAt(ticks + ticksPerFrame(rate) - 1, rate)).toBe(frame);
        expect(snapToFrame(ticks + Math.floor(ticksPerFrame(rate) / 3), rate)).toBe(ticks);
      }),
    );
  });

  test("a sequence shows every frame that starts before its end", () => {
    const rate = { num: 25, den: 1 };
    expect(frameCount(secondsToTicks(4), rate)).toBe(100);
    expect(frameCount(secondsToTicks(4) + 1, rate)).toBe(101);
    expect(frameCount(0, rate)).toBe(1);
  });
});

describe("typed times", () => {
  const rate = { num: 30, den: 1 };
  test.each([
    ["2.4", 2.4],
    ["2,4 s", 2.4],
    [" 75f ", 2.5],
    ["75 frames", 2.5],
    ["1:02:15", 62.5],
    ["-1", -1],
  ])("%s", (text, expected) => {
    expect(parseTime(text, rate)).toEqual({ ticks: secondsToTicks(expected) });
  });
  test.each(["", "soon", "NaN", "1:2", "0:00:30", "Infinity", "2.4.1"])("%s is refused with what to type", (text) => {
    const result = parseTime(text, rate);
    expect("error" in result && result.error.length).toBeGreaterThan(20);
  });
  test("seconds must be finite", () => expect(() => secondsToTicks(Number.NaN)).toThrow(RangeError));
  test("rates read as people write them", () =>
    expect(FRAME_RATES.map((r) => formatRate(r.rate))).toEqual(FRAME_RATES.map((r) => r.label)));
});
