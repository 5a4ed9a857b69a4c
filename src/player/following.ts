import { type PlacedSound, placedSounds } from "../core/sound/schedule";
import { TICKS_PER_SECOND } from "../core/time/time";
import type { Speaker } from "./speaker";

/** Largest lag between picture and sound before it is put right, s. What is shown stands up to a frame back. */
const LAG_MOST = 0.12;

/** What is played, at a moment. */
export interface Heard {
  /** The playhead, ticks. */
  ticks: number;
  speed: number;
  sequence: Parameters<typeof placedSounds>[0];
  steps: Parameters<typeof placedSounds>[1];
  /** The sound of an asset; undefined where it is not at hand. */
  bufferOf(asset: string): AudioBuffer | null | undefined;
  /** Changes when more of them are at hand. */
  files: unknown;
}

/**
 * Plays what is heard in step with the picture: it is told where the playhead is, frame by frame, and begins anew
 * where that jumps.
 */
export class Following {
  private on: (Omit<Heard, "ticks" | "bufferOf"> & { at: number; since: number }) | null = null;
  private speaker: Speaker | null = null;

  constructor(private readonly open: () => Speaker | null) {}

  follow(heard: Heard): void {
    const { ticks, speed, sequence, steps, files } = heard;
    this.speaker ??= this.open();
    if (!this.speaker) return;
    const now = this.speaker.now();
    const at = ticks / TICKS_PER_SECOND;
    const { on } = this;
    if (
      on &&
      on.speed === speed &&
      on.sequence.sounds === sequence.sounds &&
      on.steps === steps &&
      on.files === files
    ) {
      const due = on.at + (now - on.since) * speed;
      if (Math.abs(due - at) <= LAG_MOST * Math.max(1, speed)) return;
    }
    this.quiet();
    this.on = { at, since: now, speed, sequence, steps, files };
    // What comes out now was given to the loudspeaker a moment before.
    const ahead = at + this.speaker.delay() * speed;
    for (const sound of placedSounds(sequence, steps)) this.begin(sound, heard, now, ahead, speed);
  }

  private begin(sound: PlacedSound, heard: Heard, when: number, at: number, speed: number): void {
    const buffer = heard.bufferOf(sound.sound.asset);
    if (buffer !== undefined && sound.end / TICKS_PER_SECOND > at) this.speaker?.play(sound, buffer, when, at, speed);
  }

  /** Stops what is played. */
  quiet(): void {
    if (!this.on) return;
    this.on = null;
    this.speaker?.silence();
  }
}
