import { type Envelope, gainAt } from "../core/sound/envelope";
import type { PlacedSound } from "../core/sound/schedule";
import { TICKS_PER_SECOND } from "../core/time/time";

/** Where sounds are played: the browser's, or one that only writes down in tests. */
export interface Speaker {
  /** Seconds that only grow, while anything is played. */
  now(): number;
  /** How long after its time a sound comes out of the loudspeaker, s. */
  delay(): number;
  /** Begins to play. @param when by its clock @param at s of the sequence @param speed of the sequence */
  play(sound: PlacedSound, buffer: AudioBuffer | null, when: number, at: number, speed: number): void;
  /** Stops all that is played. */
  silence(): void;
}

/** The browser's loudspeaker; opened at the first act, as browsers demand. */
export function browserSpeaker(): Speaker | null {
  if (typeof AudioContext === "undefined") return null;
  const context = new AudioContext();
  const playing = new Set<AudioBufferSourceNode>();
  const follow = (gain: GainNode, e: Envelope, when: number, at: number, speed: number) => {
    gain.gain.setValueAtTime(gainAt(e, at), when);
    for (let i = 0; i < e.length; i += 2)
      if ((e[i] as number) > at)
        gain.gain.linearRampToValueAtTime(e[i + 1] as number, when + ((e[i] as number) - at) / speed);
  };
  return {
    now: () => {
      if (context.state === "suspended") void context.resume();
      return context.currentTime;
    },
    delay: () => context.baseLatency + (Number.isFinite(context.outputLatency) ? context.outputLatency : 0),
    play(placed, buffer, when, at, speed) {
      if (!buffer) return;
      const { sound } = placed;
      const s = (ticks: number) => ticks / TICKS_PER_SECOND;
      const source = context.createBufferSource();
      const [fade, duck] = [context.createGain(), context.createGain()];
      source.buffer = buffer;
      source.playbackRate.value = speed;
      source.loop = sound.repeat;
      source.loopStart = s(sound.from);
      source.loopEnd = s(sound.to);
      source.connect(fade).connect(duck).connect(context.destination);
      const begins = Math.max(at, s(placed.start));
      const since = when + (begins - at) / speed;
      follow(fade, placed.fade, since, begins, speed);
      follow(duck, placed.duck, since, begins, speed);
      const into = begins - s(placed.start);
      const own = s(sound.to - sound.from);
      source.start(since, s(sound.from) + (sound.repeat ? into % own : into), s(placed.end) - begins);
      playing.add(source);
      source.onended = () => playing.delete(source);
    },
    silence() {
      for (const source of playing) source.stop();
      playing.clear();
    },
  };
}
