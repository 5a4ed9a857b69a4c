import { MIX_RATE, type Pcm } from "../../core/sound/mix";
import { Refusal } from "../../core/text/refusal";

/** Longest that a recording may be, minutes: decoded it takes 23 MB a minute. */
export const SOUND_MOST_MINUTES = 20;

/** A sound as samples, and as what the browser plays. */
export interface Decoded {
  pcm: Pcm;
  buffer: AudioBuffer;
}

/**
 * Decodes a sound file to samples at the rate of the mix; the file's bytes are given away.
 * @param name of the file, for messages @throws Refusal for what cannot be read or holds nothing
 */
export async function decodeSound(bytes: ArrayBuffer, name: string): Promise<Decoded> {
  let buffer: AudioBuffer;
  try {
    buffer = await new OfflineAudioContext(2, 1, MIX_RATE).decodeAudioData(bytes);
  } catch {
    throw new Refusal("sound-unreadable", { file: name });
  }
  if (buffer.length === 0) throw new Refusal("sound-empty", { file: name });
  const channels = Array.from({ length: Math.min(2, buffer.numberOfChannels) }, (_, i) => buffer.getChannelData(i));
  return { pcm: { rate: buffer.sampleRate, channels }, buffer };
}

/** Looks how long a file is before it is decoded, which would take too much memory. @throws Refusal for one too long */
export async function checkLength(file: Blob, name: string): Promise<void> {
  const { ALL_FORMATS, BlobSource, Input } = await import("mediabunny");
  const input = new Input({ source: new BlobSource(file), formats: ALL_FORMATS });
  let seconds: number;
  try {
    if (!(await input.getPrimaryAudioTrack())) throw new Refusal("sound-empty", { file: name });
    seconds = await input.computeDuration();
  } catch (error) {
    if (error instanceof Refusal) throw error;
    throw new Refusal("sound-unreadable", { file: name });
  }
  if (seconds > 60 * SOUND_MOST_MINUTES)
    throw new Refusal("sound-too-long", { file: name, minutes: Math.round(seconds / 60), most: SOUND_MOST_MINUTES });
}
