import { readFileSync } from "node:fs";
import type { Sequence } from "../src/core/document/sequence";
import { addSound, newSound } from "../src/core/edit/soundCommands";
import { secondsToTicks } from "../src/core/time/time";

interface Made {
  file: string;
  /** SHA-256 of the file, hex. */
  asset: string;
  seconds: number;
  text: string;
}

const made = (): Made[] => JSON.parse(readFileSync(new URL("./sound/sounds.json", import.meta.url), "utf8")) as Made[];

/** The demo's sound files, to be kept as assets; see sound/build.ts. */
export const demoSoundFiles = (): string[] => made().map((m) => `demo/sound/${m.file}`);

/** Says in each step of the first sequence what there is to say, over soft music. */
export function withSounds(sequence: Sequence): Sequence {
  made().forEach(({ file, asset, seconds, text }, i) => {
    const music = text === "";
    const step = music ? null : (sequence.stepOrder[i] ?? null);
    const at = secondsToTicks(music ? 0 : 0.2);
    const of = { asset, name: file, length: secondsToTicks(seconds) };
    const sound = newSound(music ? "bed" : `said${i + 1}`, of, { role: music ? "music" : "voice", step, at });
    if (music)
      Object.assign(sound, { repeat: true, volume: -6, fadeIn: secondsToTicks(1), fadeOut: secondsToTicks(2) });
    addSound({ ...sound, name: music ? "Quiet chord" : (sequence.steps[step ?? ""]?.title ?? "Voice") })(sequence);
  });
  return sequence;
}
