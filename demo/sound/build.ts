/**
 * Makes the demo's narration and music anew: a synthetic voice and a chord, both by what Debian has (espeak-ng,
 * ffmpeg). The files are committed; run this only when a text changes: `npx tsx demo/sound/build.ts`.
 */
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";

/** What is said in each step of "Fit a fresh cartridge". */
const SAID = [
  "The Rill H two.",
  "Release the latch, and swing the lid back.",
  "A quarter turn left, and the cap lifts off.",
  "Draw the old one straight up.",
  "Fresh on the left, spent on the right.",
  "Lower it until it seats.",
  "Cap on, a quarter turn back. Lid down, and latch it.",
  "Now open the drain plug: three and a half turns.",
  "Plug in. Hand tight is enough.",
  "Turn the crank once. That is three strokes of the plunger.",
  "Look for drops, at the cap and at the plug.",
  "Ready.",
];

const RATE = 48_000;
const BED_SECONDS = 12;
const here = new URL(".", import.meta.url).pathname;
const folder = mkdtempSync(path.join(tmpdir(), "sound-"));
const run = (name: string, args: string[]) =>
  execFileSync(name, args, { stdio: ["ignore", "pipe", "inherit"], maxBuffer: 1 << 28 });
const encode = (from: string, to: string, kbit: number) =>
  run("ffmpeg", [
    ...["-v", "error", "-y", "-i", from, "-ac", "1", "-ar", String(RATE), "-c:a", "libopus", "-b:a", `${kbit}k`],
    ...["-map_metadata", "-1", "-fflags", "+bitexact", "-flags:a", "+bitexact", "-serial_offset", "1", to],
  ]);
/** Length as it is decoded, s. */
const seconds = (file: string) =>
  run("ffmpeg", ["-v", "error", "-i", file, "-f", "f32le", "-ac", "1", "-ar", String(RATE), "-"]).length / 4 / RATE;

/** A chord of three notes that swell one after another; all fit into its length a whole number of times. */
function bed(): Buffer {
  const samples = new Float32Array(BED_SECONDS * RATE);
  const notes = [110, 165, 220, 277.25, 330].map((f) => Math.round(f * BED_SECONDS) / BED_SECONDS);
  for (let i = 0; i < samples.length; i++) {
    const t = i / RATE;
    let v = 0;
    notes.forEach((f, n) => {
      const swell = 0.5 - 0.5 * Math.cos((2 * Math.PI * (t + (n * BED_SECONDS) / notes.length)) / (BED_SECONDS / 2));
      v += (0.09 / (1 + n / 3)) * swell * Math.sin(2 * Math.PI * f * t);
    });
    samples[i] = v;
  }
  return Buffer.from(samples.buffer);
}

try {
  const list: object[] = [];
  const add = (file: string, text: string) => {
    const bytes = readFileSync(path.join(here, file));
    const asset = createHash("sha256").update(bytes).digest("hex");
    list.push({ file, asset, seconds: seconds(path.join(here, file)), text });
  };
  SAID.forEach((text, i) => {
    const wav = path.join(folder, `${i}.wav`);
    run("espeak-ng", ["-v", "en-gb", "-s", "165", "-g", "4", "-w", wav, text]);
    const file = `${String(i + 1).padStart(2, "0")}.ogg`;
    encode(wav, path.join(here, file), 24);
    add(file, text);
  });
  const raw = path.join(folder, "bed.f32");
  writeFileSync(raw, bed());
  const wav = path.join(folder, "bed.wav");
  run("ffmpeg", ["-v", "error", "-f", "f32le", "-ar", String(RATE), "-ac", "1", "-i", raw, wav]);
  encode(wav, path.join(here, "bed.ogg"), 32);
  add("bed.ogg", "");
  writeFileSync(path.join(here, "sounds.json"), `${JSON.stringify(list, null, 2)}\n`);
} finally {
  rmSync(folder, { recursive: true });
}
