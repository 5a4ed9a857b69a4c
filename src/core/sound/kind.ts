/** Largest sound file that is taken, bytes: twenty minutes of stereo WAV are 220 MB, of anything compressed under 30. */
export const SOUND_MAX_BYTES = 64 * 1024 * 1024;

/** A kind of sound file, by its usual ending and media type. */
export interface SoundKind {
  ending: string;
  type: string;
}

const text = (head: Uint8Array, at: number, length: number) =>
  String.fromCharCode(...head.subarray(at, Math.min(head.length, at + length)));

/** Tells by what a file begins with what sound it holds; null for what is none. */
export function soundKind(head: Uint8Array): SoundKind | null {
  if (text(head, 0, 4) === "RIFF" && text(head, 8, 4) === "WAVE") return { ending: ".wav", type: "audio/wav" };
  if (text(head, 0, 4) === "fLaC") return { ending: ".flac", type: "audio/flac" };
  if (text(head, 0, 4) === "OggS") return { ending: ".ogg", type: "audio/ogg" };
  if (text(head, 4, 4) === "ftyp") return { ending: ".m4a", type: "audio/mp4" };
  if (text(head, 0, 4) === "\x1aE\xdf\xa3") return { ending: ".webm", type: "audio/webm" };
  // A frame of MPEG audio begins with eleven set bits; layer, rate and bit rate are none of those that do not exist.
  const [a, b, c] = [head[0] ?? 0, head[1] ?? 0, head[2] ?? 0];
  const frame = a === 0xff && (b & 0xe0) === 0xe0 && (b & 0x18) !== 0x08 && (b & 0x06) !== 0 && (c & 0x0c) !== 0x0c;
  if (text(head, 0, 3) === "ID3" || (frame && (c & 0xf0) !== 0xf0)) return { ending: ".mp3", type: "audio/mpeg" };
  return null;
}
