import type { Sequence } from "../document/sequence";
import type { Sound } from "../document/sounds";
import { VOLUME_LEAST } from "../document/sounds";
import { nth } from "../math/packed";
import type { StepTable } from "../program/layout";
import { TICKS_PER_SECOND } from "../time/time";
import { duckEnvelope, type Envelope, fadeEnvelope, gainOf } from "./envelope";

/** When a sound is heard, ticks of the sequence. */
export interface SoundSpan {
  sound: Sound;
  start: number;
  end: number;
  /** How much of it lies beyond the end of the sequence and is not heard, ticks. */
  lost: number;
}

/** A sound as it is played and mixed. */
export interface PlacedSound extends SoundSpan {
  /** Volume, coming and going; times in s of the sequence. */
  fade: Envelope;
  /** Under voices; empty where it stays as it is. */
  duck: Envelope;
}

type Steps = Pick<StepTable, "position" | "start" | "length">;

/** Where a sound begins, ticks of the sequence; null while its step is off or gone. */
export function soundStart(sound: Pick<Sound, "step" | "at">, steps: Steps): number | null {
  if (sound.step === null) return sound.at;
  const i = steps.position.get(sound.step);
  return i === undefined ? null : nth(steps.start, i) + sound.at;
}

/** When each sound of a sequence is heard, in order of beginning; also those that are switched off. */
export function soundSpans(sequence: Pick<Sequence, "sounds">, steps: Steps): SoundSpan[] {
  const out: SoundSpan[] = [];
  for (const sound of Object.values(sequence.sounds ?? {})) {
    const start = soundStart(sound, steps);
    if (start === null) continue;
    const own = start + sound.to - sound.from;
    const wanted = sound.repeat ? Math.max(own, steps.length) : own;
    const end = Math.min(wanted, Math.max(start, steps.length));
    out.push({ sound, start, end, lost: wanted - end });
  }
  return out.sort((a, b) => a.start - b.start);
}

/** What is heard of a sequence, with how loud it is. */
export function placedSounds(sequence: Pick<Sequence, "sounds">, steps: Steps): PlacedSound[] {
  const spans = soundSpans(sequence, steps).filter((s) => s.sound.on && s.end > s.start);
  const voices = spans
    .filter((s) => s.sound.role === "voice" && s.sound.volume > VOLUME_LEAST)
    .map((s) => ({ from: s.start / TICKS_PER_SECOND, to: s.end / TICKS_PER_SECOND }));
  return spans.map((span) => {
    const { sound, start, end, lost } = span;
    const seconds = { from: start / TICKS_PER_SECOND, to: end / TICKS_PER_SECOND };
    const volume = sound.volume > VOLUME_LEAST ? gainOf(sound.volume) : 0;
    const cut = { from: sound.from > 0, to: sound.to < sound.length || lost > 0 || sound.repeat };
    const fade = { in: sound.fadeIn / TICKS_PER_SECOND, out: sound.fadeOut / TICKS_PER_SECOND };
    return {
      ...span,
      fade: fadeEnvelope(seconds, volume, fade, cut),
      duck: sound.role === "music" && sound.duck > 0 ? duckEnvelope(voices, gainOf(-sound.duck)) : new Float64Array(0),
    };
  });
}
