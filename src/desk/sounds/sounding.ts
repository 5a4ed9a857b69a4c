import { type Envelope, gainAt } from "../../core/sound/envelope";
import { type PlacedSound, placedSounds } from "../../core/sound/schedule";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { speedNow } from "../playback/playback";
import type { Desk } from "../port";

/** Largest lag between picture and sound before it is put right, s. What is shown stands up to a frame back. */
const LAG_MOST = 0.12;

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

/**
 * Plays what is heard in step with the picture: it follows the playhead, and begins anew where that jumps. Silent
 * backward, while every frame is waited for, and while something is recorded.
 */
export class Sounding {
  private on: { at: number; since: number; speed: number; of: unknown; steps: unknown; heard: unknown } | null = null;
  private readonly stop: () => void;
  private speaker: Speaker | null = null;

  constructor(
    private readonly desk: Desk,
    private readonly open: () => Speaker | null,
  ) {
    this.stop = desk.store.subscribe((s, before) => {
      if (s.ticks !== before.ticks || s.playing !== before.playing || s.play !== before.play) this.follow();
    });
  }

  private follow(): void {
    const { desk } = this;
    const { playing, backward, play, ticks, recording, heard } = desk.state;
    const speed = speedNow(desk);
    const { sounds } = desk.sequence;
    if (!playing || backward || play.every || recording || !sounds || speed !== play.speed) {
      this.quiet();
      return;
    }
    this.speaker ??= this.open();
    if (!this.speaker) return;
    const now = this.speaker.now();
    const at = ticks / TICKS_PER_SECOND;
    const { on } = this;
    const { steps } = desk.program;
    if (on && on.speed === speed && on.of === sounds && on.steps === steps && on.heard === heard) {
      const due = on.at + (now - on.since) * speed;
      if (Math.abs(due - at) <= LAG_MOST * Math.max(1, speed)) return;
    }
    this.quiet();
    this.on = { at, since: now, speed, of: sounds, steps, heard };
    // What comes out now was given to the loudspeaker a moment before.
    const ahead = at + this.speaker.delay() * speed;
    for (const sound of placedSounds(desk.sequence, steps)) {
      const file = heard[sound.sound.asset];
      if (file?.state === "ready" && sound.end / TICKS_PER_SECOND > ahead)
        this.speaker.play(sound, file.buffer, now, ahead, speed);
    }
  }

  private quiet(): void {
    if (!this.on) return;
    this.on = null;
    this.speaker?.silence();
  }

  dispose(): void {
    this.stop();
    this.quiet();
  }
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
