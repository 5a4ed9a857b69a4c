import type { Sound } from "../../src/core/document/sounds";
import { newSound } from "../../src/core/edit/soundCommands";
import { MIX_RATE, type Pcm } from "../../src/core/sound/mix";
import { TICKS_PER_SECOND } from "../../src/core/time/time";

const s = (seconds: number) => Math.round(seconds * TICKS_PER_SECOND);

/** A hash like that of a file. */
export const hash = (letter: string): string => letter.repeat(64);

/** A recording of so many seconds at a time (s) of a step. */
export function sound(id: string, seconds: number, step: string | null, at: number, more: Partial<Sound> = {}): Sound {
  const file = { asset: hash("a"), name: `${id}.wav`, length: s(seconds) };
  return { ...newSound(id, file, { role: "voice", step, at: s(at) }), ...more };
}

/** Samples of a constant level. */
export const level = (seconds: number, ...levels: number[]): Pcm => ({
  rate: MIX_RATE,
  channels: levels.map((v) => new Float32Array(Math.round(seconds * MIX_RATE)).fill(v)),
});

/** A WAV file of 16 bits with one channel. */
export function wav(samples: Float32Array, rate = MIX_RATE): Uint8Array {
  const bytes = new Uint8Array(44 + 2 * samples.length);
  const view = new DataView(bytes.buffer);
  const words = (at: number, text: string) => bytes.set(new TextEncoder().encode(text), at);
  words(0, "RIFF");
  view.setUint32(4, bytes.length - 8, true);
  words(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 1, true);
  view.setUint16(22, 1, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, 2 * rate, true);
  view.setUint16(32, 2, true);
  view.setUint16(34, 16, true);
  words(36, "data");
  view.setUint32(40, 2 * samples.length, true);
  samples.forEach((v, i) => {
    view.setInt16(44 + 2 * i, Math.round(32767 * v), true);
  });
  return bytes;
}
