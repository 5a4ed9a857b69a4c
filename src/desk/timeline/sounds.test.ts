import { describe, expect, test } from "vitest";
import { seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { hash, sound } from "../../../tests/support/sound";
import { emptyPreparation } from "../../core/document/preparation";
import type { Sound } from "../../core/document/sounds";
import { compile } from "../../core/program/compile";
import { paintSounds, type SoundBlock, soundAt, soundRows, soundTitle } from "./sounds";
import type { Inks, View } from "./view";

const rowsOf = (...sounds: Sound[]) => {
  const film = { ...sequenceOf([{}, {}]), sounds: Object.fromEntries(sounds.map((s) => [s.id, s])) };
  return soundRows(film, compile(smallIndex(), emptyPreparation(), film).steps);
};
const S = seconds(1);

describe("lanes of sounds", () => {
  test("are one for voices and one for music, none where there are none", () => {
    const music = sound("m", 9, null, 0, { role: "music" });
    expect(rowsOf()).toEqual([]);
    expect(rowsOf(music).map((r) => r.id)).toEqual(["music"]);
    expect(rowsOf(music, sound("v", 1, "s1", 0)).map((r) => [r.id, r.blocks.length])).toEqual([
      ["voice", 1],
      ["music", 1],
    ]);
  });
  test("tell what goes on after its step, and what is not heard at all", () => {
    const [row] = rowsOf(sound("v", 4, "s0", 0.5), sound("w", 9, "s1", 1));
    expect(row?.blocks.map(soundTitle)).toEqual([
      "v: 4 s. It goes on for 1.5 s after its step.",
      "w: 9 s. 7 s lie beyond the end of the sequence and are not heard.",
    ]);
  });
});

describe("under the pointer", () => {
  const block = (t0: number, t1: number, more: Partial<Sound> = {}): SoundBlock => ({
    sound: sound(`${t0}`, t1 - t0, "s0", t0, more),
    ...{ t0: t0 * S, t1: t1 * S, until: 99 * S, lost: 0 },
  });
  const blocks = [block(1, 3), block(2, 5), block(6, 6.1)];
  const at = (t: number) => {
    const found = soundAt(blocks, t * S, 0.1 * S);
    return found && `${found.block.sound.id} ${found.edge}`;
  };
  test("ends are taken before what they belong to, and the last drawn before others", () => {
    expect([0.5, 0.95, 1.5, 1.95, 2.5, 4.95, 5.05, 5.5].map(at)).toEqual([
      null,
      "1 start",
      "1 null",
      "2 start",
      "2 null",
      "2 end",
      "2 end",
      null,
    ]);
  });
  test("a short one is moved, not trimmed; a repeated one has no end to be drawn", () => {
    expect(at(6.02)).toBe("6 null");
    expect(soundAt([block(1, 3, { repeat: true })], 2.99 * S, 0.1 * S)?.edge).toBeNull();
  });
});

test("a waveform stands where it is heard, as loud as it is, in brick after its step", () => {
  const drawn: { ink: string; x: number; high: number }[] = [];
  const ctx = {
    fillStyle: "",
    ...{ globalAlpha: 1, strokeStyle: "", lineWidth: 1 },
    fillRect(this: { fillStyle: string }, x: number, _y: number, w: number, high: number) {
      if (w === 1) drawn.push({ ink: this.fillStyle, x, high });
    },
    strokeRect() {},
    setLineDash() {},
  } as unknown as CanvasRenderingContext2D;
  const inks = Object.fromEntries(
    ["ink", "soft", "sheet", "working", "pale", "brick", "camera"].map((n) => [n, n]),
  ) as unknown as Inks;
  const view: View = { perTick: 100 / S, left: 50, top: 0, width: 300, height: 200 };
  const peaks = new Float32Array(2 * 200 * 2);
  // Silence, and from half a second of the file on full scale.
  for (let i = 100; i < 400; i++) [peaks[2 * i], peaks[2 * i + 1]] = [-1, 1];
  const v = sound("v", 2, "s0", 1, { from: 0.25 * S, volume: 0 });
  const block: SoundBlock = { sound: v, t0: S, t1: 2.75 * S, until: 2 * S, lost: 0 };
  const heard = { [hash("a")]: { state: "ready" as const, pcm: { rate: 48000, channels: [] }, buffer: null, peaks } };
  paintSounds(ctx, [block], heard, null, 0, view, inks);
  const at = (t: number) => drawn.find((d) => d.x === Math.round(100 * t - 50));
  expect([at(1.1)?.high, at(1.2)?.high]).toEqual([1, 1]);
  expect(at(1.3)?.high).toBeGreaterThan(15);
  expect([at(1.9)?.ink, at(2.1)?.ink]).toEqual(["working", "brick"]);
  expect([at(0.9), at(2.8)]).toEqual([undefined, undefined]);
});
