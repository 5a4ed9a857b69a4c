import {
  type AudioCodec,
  AudioSample,
  AudioSampleSink,
  AudioSampleSource,
  canEncodeAudio,
  type Input,
  type Output,
} from "mediabunny";
import { lagOf } from "../../core/sound/lag";
import { MIX_RATE, Mixer } from "../../core/sound/mix";
import { placedSounds } from "../../core/sound/schedule";
import { Refusal } from "../../core/text/refusal";
import { TICKS_PER_SECOND } from "../../core/time/time";
import type { MakeContext } from "./maker";

/** Samples that are mixed and encoded in one go. */
const BLOCK = 4800;

/** What is heard in the part that is made: first sample and their number, of the sequence's own. */
export interface Heard {
  mixer: Mixer;
  first: number;
  samples: number;
  /** What everything is lowered by so that nothing clips; 1 leaves it. */
  gain: number;
}

/** @returns null where nothing is heard @throws Refusal where a recording's samples are not to be had */
export function heardIn(c: MakeContext, samples: number): Heard | null {
  const { program, range } = c;
  const placed = placedSounds(program.sequence, program.steps).filter((p) => p.end > range.from && p.start < range.to);
  if (placed.length === 0) return null;
  const mixer = new Mixer(placed, c.pcmOf);
  if (mixer.missing.length > 0) throw new Refusal("sound-gone", { names: mixer.missing });
  const first = Math.round((range.from * MIX_RATE) / TICKS_PER_SECOND);
  const peak = mixer.peak(first, first + samples);
  return { mixer, first, samples, gain: peak > 1 ? 1 / peak : 1 };
}

/** Says by how much sound was lowered, where it was. */
export const toldLower = (gain: number): string[] =>
  gain < 1 ? [`sound lowered by ${(-20 * Math.log10(gain)).toFixed(1)} dB, for it was too loud`] : [];

/** Samples that the AAC encoder gives out before those it was given. */
const AAC_LATE = 1024;
let registered = false;

/**
 * Makes sure that a codec can be encoded. AAC always by the encoder that ships, also where the browser has one: only of
 * that it is known by how much its sound comes late.
 */
async function prepare(codec: AudioCodec, bitrate: number): Promise<void> {
  if (codec === "aac" && !registered) {
    const { registerAacEncoder } = await import("@mediabunny/aac-encoder");
    registerAacEncoder();
    registered = true;
  }
  if (await canEncodeAudio(codec, { numberOfChannels: 2, sampleRate: MIX_RATE, bitrate })) return;
  throw new Refusal("no-encoder", { format: codec === "aac" ? "AAC sound" : "Opus sound" });
}

/** The sound of a video, mixed and encoded along with its frames. */
export class SoundTrack {
  private done = 0;
  private readonly left = new Float32Array(BLOCK);
  private readonly right = new Float32Array(BLOCK);
  private readonly both = new Float32Array(2 * BLOCK);

  private constructor(
    private readonly source: AudioSampleSource,
    private readonly heard: Heard,
    /** By how many samples the file plays what it is given too late. */
    private readonly late: number,
  ) {}

  /** Adds the track to a file that has not been started. @param kbit kilobits a second */
  static async of(output: Output, codec: "aac" | "opus", kbit: number, heard: Heard): Promise<SoundTrack> {
    await prepare(codec, 1000 * kbit);
    const source = new AudioSampleSource({ codec, bitrate: 1000 * kbit });
    output.addAudioTrack(source, { maximumPacketCount: Math.ceil(heard.samples / 960) + 16 });
    return new SoundTrack(source, heard, codec === "aac" ? AAC_LATE : 0);
  }

  /** Encodes what is heard up to a time of the file, s. */
  async until(seconds: number): Promise<void> {
    const { mixer, first, samples, gain } = this.heard;
    const wanted = Math.min(samples, Math.ceil(seconds * MIX_RATE));
    while (this.done < wanted) {
      const n = Math.min(BLOCK, samples - this.done);
      const [left, right] = [this.left.subarray(0, n), this.right.subarray(0, n)];
      mixer.into(first + this.done, left, right);
      for (let i = 0; i < n; i++) {
        this.both[i] = gain * (left[i] as number);
        this.both[n + i] = gain * (right[i] as number);
      }
      const sample = new AudioSample({
        ...{ data: this.both.slice(0, 2 * n), format: "f32-planar", numberOfChannels: 2, sampleRate: MIX_RATE },
        // What comes out before the file begins is left out by whoever plays it.
        timestamp: (this.done - this.late) / MIX_RATE,
      });
      this.done += n;
      await this.source.add(sample);
      sample.close();
    }
  }

  finish(): void {
    this.source.close();
  }
}

/** How far around the loudest place it is listened, and how far it may be off to be found at all; samples. */
const LISTENED = 9600;
const FARTHEST = 2400;
/** Largest shift between sound and picture, ms. */
const SHIFT_MOST = 1;

/** Listens to the sound of a file that was made. @returns what was found @throws Refusal where it is not as mixed */
export async function checkSound(input: Input, heard: Heard): Promise<string[]> {
  const { mixer, first, samples, gain } = heard;
  const otherwise = (what: string) => new Refusal("made-otherwise", { what });
  const track = await input.getPrimaryAudioTrack();
  if (!track) throw otherwise("there is no sound in it");
  const lowered = toldLower(gain);
  const peak = mixer.loudest(first, first + samples);
  const [of, side] = [new Float32Array(LISTENED), new Float32Array(LISTENED)];
  const begin = Math.max(first, Math.min(peak - LISTENED / 4, first + samples - LISTENED));
  mixer.into(begin, of, side);
  if (of.every((v) => v === 0)) return ["silent, for all that is heard is turned down", ...lowered];
  if (!(await track.canDecode())) return ["its sound cannot be listened to in this browser", ...lowered];
  const made = new Float32Array(LISTENED + 2 * FARTHEST);
  const from = begin - first - FARTHEST;
  for await (const sample of new AudioSampleSink(track).samples(
    Math.max(0, from / MIX_RATE),
    (from + made.length) / MIX_RATE,
  )) {
    const one = new Float32Array(sample.numberOfFrames);
    sample.copyTo(one, { planeIndex: 0, format: "f32-planar" });
    const at = Math.round(sample.timestamp * MIX_RATE) - from;
    for (let i = 0; i < one.length; i++) if (at + i >= 0 && at + i < made.length) made[at + i] = one[i] as number;
    sample.close();
  }
  const { lag, alike } = lagOf(made, of, FARTHEST);
  const ms = (1000 * lag) / MIX_RATE;
  if (alike < 0.3) throw otherwise("its sound is not what was mixed");
  if (Math.abs(ms) > SHIFT_MOST) throw otherwise(`its sound comes ${ms.toFixed(1)} ms ${ms > 0 ? "late" : "early"}`);
  return [`sound in step to ${Math.abs(ms).toFixed(1)} ms`, ...lowered];
}
