import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { hash, level, sound } from "../../../tests/support/sound";
import { emptyPreparation } from "../document/preparation";
import type { Sequence } from "../document/sequence";
import type { Sound } from "../document/sounds";
import { compile } from "../program/compile";
import { TICKS_PER_SECOND } from "../time/time";
import { DUCK_AFTER, DUCK_BEFORE, duckEnvelope, fadeEnvelope, gainAt, gainOf } from "./envelope";
import { MIX_RATE, Mixer, type Pcm } from "./mix";
import { PEAKS_PER_SECOND, peakCount, peaksInto } from "./peaks";
import { placedSounds, soundSpans } from "./schedule";

const SAMPLE = TICKS_PER_SECOND / MIX_RATE;
/** Three steps of three seconds each, with sounds. */
const film = (...sounds: Sound[]): Sequence => ({
  ...sequenceOf([{}, {}, {}]),
  sounds: Object.fromEntries(sounds.map((s) => [s.id, s])),
});
const stepsOf = (s: Sequence) => compile(smallIndex(), emptyPreparation(), s).steps;
const placed = (...sounds: Sound[]) => placedSounds(film(...sounds), stepsOf(film(...sounds)));
const step = stepsOf(film()).end[0] as number;

/** All that is heard, left and right. */
function mixed(sounds: Sound[], pcmOf: (asset: string) => Pcm | null, block = 1000): [Float32Array, Float32Array] {
  const s = film(...sounds);
  const mixer = new Mixer(placedSounds(s, stepsOf(s)), pcmOf);
  const n = Math.round(stepsOf(s).length / SAMPLE);
  const out: [Float32Array, Float32Array] = [new Float32Array(n), new Float32Array(n)];
  for (let at = 0; at < n; at += block) {
    const size = Math.min(block, n - at);
    mixer.into(at, out[0].subarray(at, at + size), out[1].subarray(at, at + size));
  }
  return out;
}

describe("when a sound is heard", () => {
  test("a voice begins with its step, and moves along with it", () => {
    const s = film(sound("v", 1, "s1", 0.5));
    expect(soundSpans(s, stepsOf(s))[0]).toMatchObject({ start: step + TICKS_PER_SECOND / 2, lost: 0 });
    const longer = structuredClone(s);
    (longer.steps.s0 as { stillAfter: number }).stillAfter += TICKS_PER_SECOND;
    expect(soundSpans(longer, stepsOf(longer))[0]?.start).toBe(step + 1.5 * TICKS_PER_SECOND);
  });
  test("not while its step is switched off, or itself", () => {
    const s = film(sound("v", 1, "s1", 0), sound("w", 1, "s0", 0, { on: false }));
    (s.steps.s1 as { on: boolean }).on = false;
    expect(soundSpans(s, stepsOf(s)).map((x) => x.sound.id)).toEqual(["w"]);
    expect(placedSounds(s, stepsOf(s))).toEqual([]);
  });
  test("what lies beyond the end of the sequence is lost, and said", () => {
    const s = film(sound("v", 5, "s2", 0));
    const [span] = soundSpans(s, stepsOf(s));
    expect(span?.end).toBe(3 * step);
    expect(span?.lost).toBe(5 * TICKS_PER_SECOND - step);
  });
  test("repeated music lasts until the end and loses nothing", () => {
    const s = film(sound("m", 1, null, 0.5, { role: "music", repeat: true }));
    expect(soundSpans(s, stepsOf(s))[0]).toMatchObject({ start: TICKS_PER_SECOND / 2, end: 3 * step, lost: 0 });
  });
});

describe("loudness", () => {
  test("gain is exact at its points and straight between them", () => {
    const e = Float64Array.of(1, 0, 2, 1, 4, 0.5);
    expect([0, 1, 1.25, 2, 3, 4, 9].map((t) => gainAt(e, t))).toEqual([0, 0, 0.25, 1, 0.75, 0.5, 0.5]);
    expect(gainAt(new Float64Array(0), 3)).toBe(1);
    expect(gainOf(-6)).toBeCloseTo(0.501, 3);
  });
  test("comes and goes within its span whatever lengths are asked for", () => {
    fc.assert(
      fc.property(
        real(0.02, 20),
        real(0, 30),
        real(0, 30),
        real(0, 4),
        fc.boolean(),
        fc.boolean(),
        (length, a, b, volume, cutFrom, cutTo) => {
          const e = fadeEnvelope({ from: 5, to: 5 + length }, volume, { in: a, out: b }, { from: cutFrom, to: cutTo });
          for (let i = 2; i < e.length; i += 2) expect(e[i]).toBeGreaterThanOrEqual(e[i - 2] as number);
          expect(e[0]).toBeGreaterThanOrEqual(5);
          expect(e[e.length - 2]).toBeLessThanOrEqual(5 + length + 1e-9);
          if (a > 0 || cutFrom) expect(gainAt(e, 5)).toBe(0);
          else expect(gainAt(e, 5)).toBe(volume);
          if (b > 0 || cutTo) expect(gainAt(e, 5 + length)).toBe(0);
          if (a + b < length - 0.01) expect(gainAt(e, 5 + Math.max(a, 0.004))).toBeCloseTo(volume, 9);
        },
      ),
    );
  });
  test("music is low under each voice and does not come up in a short pause", () => {
    const e = duckEnvelope(
      [
        { from: 6, to: 7 },
        { from: 2, to: 3 },
        { from: 3.5, to: 4 },
      ],
      0.25,
    );
    expect([2, 3.2, 4, 6, 7].map((t) => gainAt(e, t))).toEqual([0.25, 0.25, 0.25, 0.25, 0.25]);
    expect(gainAt(e, 2 - DUCK_BEFORE)).toBe(1);
    expect(gainAt(e, 4 + DUCK_AFTER)).toBe(1);
    expect(gainAt(e, 5)).toBe(1);
    expect(gainAt(e, 2 - DUCK_BEFORE / 2)).toBeCloseTo(0.625, 9);
  });
  test("voices alone lower music; music leaves voices and other music as they are", () => {
    const m = sound("m", 9, null, 0, { role: "music" });
    const [, voice] = placed(m, sound("v", 1, "s1", 0));
    expect(voice?.duck).toHaveLength(0);
    expect(placed(m)[0]?.duck).toHaveLength(0);
    expect(placed(m, sound("v", 1, "s1", 0, { on: false }))[0]?.duck).toHaveLength(0);
    expect(gainAt(placed(m, sound("v", 1, "s1", 0))[0]?.duck as Float64Array, 3.5)).toBeCloseTo(gainOf(-12), 9);
  });
});

describe("the mix", () => {
  test("has a sound at its very sample, with its trim, on both sides", () => {
    const click = level(1, 0);
    (click.channels[0] as Float32Array)[24_000] = 1;
    // Half of it is trimmed off, so that the click stands where it would have stood.
    const v = sound("v", 1, "s1", 0.75, { from: 0.25 * TICKS_PER_SECOND });
    const [left, right] = mixed([v], () => click);
    const at = (3 + 0.75 + 0.25) * MIX_RATE;
    expect(left.indexOf(1)).toBe(at);
    expect(right.indexOf(1)).toBe(at);
    expect(left.reduce((n, x) => n + Math.abs(x), 0)).toBe(1);
  });
  test("adds up, keeps sides apart and follows volume", () => {
    const v = sound("v", 2, "s0", 0.5, { volume: -20 });
    const w = sound("w", 2, "s0", 1, { asset: hash("b") });
    const [left, right] = mixed([v, w], (a) => (a === hash("a") ? level(2, 0.5) : level(2, 0.1, 0.2)));
    const i = 2 * MIX_RATE;
    expect([left[i], right[i]].map((x) => Math.round((x as number) * 1e6))).toEqual([150_000, 250_000]);
    expect(left[0.75 * MIX_RATE]).toBeCloseTo(0.05, 6);
  });
  test("is the same in pieces of any size", () => {
    const m = sound("m", 0.7, null, 0.1, { role: "music", repeat: true, fadeIn: TICKS_PER_SECOND });
    const v = sound("v", 1.5, "s1", 0.3, { asset: hash("b"), fadeOut: TICKS_PER_SECOND / 3 });
    const tone = level(2, 0);
    (tone.channels[0] as Float32Array).forEach((_, i, all) => {
      all[i] = Math.sin(i / 9);
    });
    const whole = mixed([m, v], () => tone, 1 << 20);
    fc.assert(
      fc.property(fc.integer({ min: 64, max: 9000 }), (block) => {
        const pieces = mixed([m, v], () => tone, block);
        let worst = 0;
        for (let i = 0; i < whole[0].length; i++)
          worst = Math.max(worst, Math.abs((whole[0][i] as number) - (pieces[0][i] as number)));
        expect(worst).toBe(0);
      }),
      { numRuns: 8 },
    );
  });
  test("repeats without a gap", () => {
    const ramp = level(0.5, 0);
    (ramp.channels[0] as Float32Array).forEach((_, i, all) => {
      all[i] = i / all.length;
    });
    const m = sound("m", 0.5, null, 1, { role: "music", repeat: true, volume: 0 });
    const [left] = mixed([m], () => ramp);
    expect(left[MIX_RATE - 1]).toBe(0);
    for (const t of [1.25, 1.75, 5.25]) expect(left[t * MIX_RATE]).toBeCloseTo(0.5, 6);
  });
  test("says whose samples are not to be had, and how loud it gets", () => {
    const s = film(sound("v", 2, "s0", 0.5), sound("w", 1, "s1", 0, { asset: hash("b") }));
    const mixer = new Mixer(placedSounds(s, stepsOf(s)), (a) => (a === hash("b") ? null : level(2, -0.75)));
    expect(mixer.missing).toEqual(["w"]);
    expect(mixer.peak(0, 9 * MIX_RATE)).toBe(0.75);
    expect(mixer.peak(4 * MIX_RATE, 9 * MIX_RATE)).toBe(0);
    expect([mixer.heard(0, step / 10), mixer.heard(0, step), mixer.heard(step, 2 * step)]).toEqual([
      false,
      true,
      false,
    ]);
  });
});

test("a waveform has the lowest and highest sample of each stretch", () => {
  const pcm = level(1, 0.25, 0);
  (pcm.channels[1] as Float32Array)[Math.round(0.5 * MIX_RATE) + 3] = -0.9;
  const peaks = new Float32Array(2 * peakCount(MIX_RATE, MIX_RATE));
  expect(peaks).toHaveLength(2 * PEAKS_PER_SECOND);
  peaksInto(pcm.channels, MIX_RATE, 0, peaks);
  const i = PEAKS_PER_SECOND / 2;
  expect([...peaks.subarray(2 * i - 2, 2 * i + 4)].map((v) => Math.round(100 * v))).toEqual([0, 25, -90, 25, 0, 25]);
  const later = new Float32Array(2);
  peaksInto(pcm.channels, MIX_RATE, i, later);
  expect(Math.round(100 * (later[0] as number))).toBe(-90);
});
