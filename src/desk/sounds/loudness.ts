import { headroom, lowered, type Waveform } from "../../core/sound/headroom";
import { placedSounds } from "../../core/sound/schedule";
import type { Speaker } from "../../player/speaker";
import type { Desk } from "../port";

type Sequence = Parameters<typeof placedSounds>[0];
type Steps = Parameters<typeof placedSounds>[1];

/** What is played of a sequence lowered by, worked out anew only when something that it follows from is another. */
export class Loudness {
  private known: { sounds: Sequence["sounds"]; steps: Steps; files: unknown; gain: number } | null = null;

  /** @param files is another when more waveforms are at hand @returns 0 to 1 */
  of(sequence: Sequence, steps: Steps, files: unknown, waveOf: (asset: string) => Waveform | null): number {
    const { sounds } = sequence;
    const { known } = this;
    if (known && known.sounds === sounds && known.steps === steps && known.files === files) return known.gain;
    const gain = sounds ? headroom(placedSounds(sequence, steps), waveOf) : 1;
    this.known = { sounds, steps, files, gain };
    return gain;
  }
}

/** A loudspeaker that plays everything softer by what its sequence would clip by, as a file of it is made. */
export function softened(speaker: Speaker | null, gain: () => number): Speaker | null {
  if (!speaker) return null;
  return {
    ...speaker,
    play(sound, ...more) {
      const g = gain();
      speaker.play(g < 1 ? { ...sound, fade: lowered(sound.fade, g) } : sound, ...more);
    },
  };
}

const ofDesk = new WeakMap<Desk, Loudness>();

/** What the open sequence's sounds are lowered by, 0 to 1; 1 leaves them. */
export function loudnessNow(desk: Desk): number {
  const { heard } = desk.state;
  const it = ofDesk.get(desk) ?? new Loudness();
  ofDesk.set(desk, it);
  return it.of(desk.sequence, desk.program.steps, heard, (asset) => {
    const file = heard[asset];
    return file?.state === "ready" ? file : null;
  });
}
