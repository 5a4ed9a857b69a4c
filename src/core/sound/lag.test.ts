import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { lagOf } from "./lag";

const noise = (n: number, seed: number) => {
  let at = seed;
  return Float32Array.from({ length: n }, () => {
    at = (at * 16807) % 2147483647;
    return at / 2147483647 - 0.5;
  });
};

describe("the shift of a sound", () => {
  test("is found whatever it is, also louder and with other sounds in it", () => {
    fc.assert(
      fc.property(fc.integer({ min: -60, max: 60 }), fc.integer({ min: 1, max: 1e6 }), (shift, seed) => {
        const of = noise(400, seed);
        const made = noise(520, seed + 7).map((v) => 0.2 * v);
        of.forEach((v, i) => {
          made[i + 60 + shift] = (made[i + 60 + shift] as number) + 3 * v;
        });
        const { lag, alike } = lagOf(made, of, 60);
        expect(lag).toBe(shift);
        expect(alike).toBeGreaterThan(0.9);
      }),
    );
  });
  test("of a tone is the smallest that fits", () => {
    const tone = (n: number, from: number) => Float32Array.from({ length: n }, (_, i) => Math.sin((i + from) / 3));
    expect(lagOf(tone(700, -50), tone(600, 0), 50).lag).toBe(0);
  });
  test("of something else it is told that they are not alike; of silence nothing", () => {
    expect(lagOf(noise(520, 3), noise(400, 900), 60).alike).toBeLessThan(0.3);
    expect(lagOf(new Float32Array(520), noise(400, 3), 60).alike).toBe(0);
    expect(lagOf(noise(520, 3), new Float32Array(400), 60).alike).toBe(0);
  });
});
