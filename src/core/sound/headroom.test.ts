import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { seconds } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { hash, level, sound } from "../../../tests/support/sound";
import { seeded } from "../../cli/measure/random";
import type { Sound } from "../document/sounds";
import { headroom, type Waveform } from "./headroom";
import { MIX_RATE, Mixer, type Pcm } from "./mix";
import { peakCount, peaksInto } from "./peaks";
import { placedSounds } from "./schedule";

const waveform = (pcm: Pcm): Waveform => {
  const peaks = new Float32Array(2 * peakCount(pcm.channels[0]?.length ?? 0, pcm.rate));
  peaksInto(pcm.channels, pcm.rate, 0, peaks);
  return { pcm, peaks };
};
const steps = { position: new Map([["s", 0]]), start: Float64Array.of(0), length: seconds(6) };
const placedOf = (...sounds: Sound[]) =>
  placedSounds({ sounds: Object.fromEntries(sounds.map((s) => [s.id, s])) }, steps);
/** Noise whose loudness swells and sinks. */
const noise = (length: number, seed: number, loud: number): Pcm => {
  const random = seeded(seed);
  const n = Math.round(length * MIX_RATE);
  const channel = () => Float32Array.from({ length: n }, (_, i) => loud * Math.sin(i / 9000) * (2 * random() - 1));
  return { rate: MIX_RATE, channels: [channel(), channel()] };
};

describe("headroom", () => {
  test("two at once are lowered by what they come to together; one after the other, or softer, by nothing", () => {
    const wave = waveform(level(1, 0.8));
    const of = (...sounds: Sound[]) => headroom(placedOf(...sounds), () => wave);
    expect(of(sound("a", 1, "s", 1), sound("b", 1, "s", 1.5))).toBeCloseTo(1 / 1.6, 6);
    expect(of(sound("a", 1, "s", 1), sound("b", 1, "s", 2))).toBe(1);
    expect(of(sound("a", 1, "s", 1, { volume: -6 }), sound("b", 1, "s", 1.5, { volume: -9 }))).toBe(1);
    expect(of(sound("a", 1, "s", 1, { volume: 6 }))).toBeCloseTo(1 / (0.8 * 10 ** (6 / 20)), 6);
    expect(headroom([], () => wave)).toBe(1);
    expect(headroom(placedOf(sound("a", 1, "s", 1, { volume: 6 })), () => null)).toBe(1);
  });
  test("music that is lowered under a voice need not be lowered again", () => {
    const waves: Record<string, Waveform> = {
      [hash("a")]: waveform(level(1, 0.7)),
      [hash("b")]: waveform(level(6, 0.9)),
    };
    const music = sound("m", 6, null, 0, { asset: hash("b"), role: "music", duck: 30 });
    const of = (...sounds: Sound[]) => headroom(placedOf(...sounds), (asset) => waves[asset] ?? null);
    expect(of(sound("v", 1, "s", 2), music)).toBe(1);
    expect(of(sound("v", 1, "s", 2), { ...music, role: "voice" })).toBeCloseTo(1 / 1.6, 6);
  });
  test("it is what mixing all of it comes to, and never less is taken off", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            seed: fc.integer({ min: 1, max: 4 }),
            at: real(0, 3),
            volume: real(-12, 9),
            from: real(0, 0.5),
            repeat: fc.boolean(),
            fade: real(0, 0.4),
          }),
          { minLength: 1, maxLength: 4 },
        ),
        (list) => {
          const waves = [1, 2, 3, 4].map((seed) => waveform(noise(1.2, seed, 0.7)));
          const placed = placedOf(
            ...list.map(({ seed, at, volume, from, repeat, fade }, i) =>
              sound(`v${i}`, 1.2, "s", at, {
                ...{ asset: hash("abcd"[seed - 1] as string), volume, repeat, role: repeat ? "music" : "voice" },
                ...{ from: seconds(from), fadeIn: seconds(fade) },
              }),
            ),
          );
          const waveOf = (asset: string) => waves["abcd".indexOf(asset[0] as string)] ?? null;
          const gain = headroom(placed, waveOf);
          const peak = new Mixer(placed, (a) => waveOf(a)?.pcm ?? null).peak(0, 6 * MIX_RATE);
          expect(gain * peak).toBeLessThanOrEqual(1 + 1e-6);
          // Where thousands of stretches are as loud, the bound is taken: still not much too soft.
          expect(gain).toBeGreaterThan((peak > 1 ? 1 / peak : 1) * 0.85);
        },
      ),
      { numRuns: 25, endOnFailure: true },
    );
  });
});
