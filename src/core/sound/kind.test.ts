import { expect, test } from "vitest";
import { wav } from "../../../tests/support/sound";
import { soundKind } from "./kind";

const head = (...parts: (string | number)[]) =>
  Uint8Array.from(parts.flatMap((p) => (typeof p === "number" ? [p] : [...p].map((c) => c.charCodeAt(0)))));

test.each([
  ["WAV", wav(new Float32Array(8)), ".wav"],
  ["FLAC", head("fLaC", 0, 0, 0, 34), ".flac"],
  ["Ogg", head("OggS", 0, 2), ".ogg"],
  ["M4A", head(0, 0, 0, 32, "ftypM4A "), ".m4a"],
  ["WebM", head(0x1a, 0x45, 0xdf, 0xa3, 1), ".webm"],
  ["MP3 with tags", head("ID3", 4, 0), ".mp3"],
  ["MP3 without", head(0xff, 0xfb, 0x90, 0x64), ".mp3"],
])("%s is known by what it begins with", (_, bytes, ending) => expect(soundKind(bytes)?.ending).toBe(ending));

test.each([
  ["a text", head("RIFF is a word, WAVE another")],
  ["a picture", head(0x89, "PNG\r\n")],
  ["a picture in RIFF", head("RIFF", 0, 0, 0, 0, "WEBP")],
  ["JPEG", head(0xff, 0xd8, 0xff, 0xe0)],
  ["a layer that does not exist", head(0xff, 0xe9, 0x90)],
  ["nothing", head()],
])("%s is none", (_, bytes) => expect(soundKind(bytes)).toBeNull());
