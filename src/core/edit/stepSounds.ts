import type { Sequence } from "../document/sequence";
import { SOUND_NAME_MAX } from "../document/sounds";
import { freshId } from "./id";

/** A name that no other recording of a sequence has. */
export function freeSoundName(sequence: Pick<Sequence, "sounds">, name: string): string {
  const taken = new Set(Object.values(sequence.sounds ?? {}).map((s) => s.name));
  const base = name.trim().slice(0, SOUND_NAME_MAX - 4) || "Recording";
  for (let n = 1; ; n++) {
    const tried = n === 1 ? base : `${base} ${n}`;
    if (!taken.has(tried)) return tried;
  }
}

/** Leaves no empty list behind, so that adding and removing gives the document as it was. */
export function dropEmpty(draft: Sequence): void {
  if (draft.sounds && Object.keys(draft.sounds).length === 0) delete draft.sounds;
}

/** What belongs to a step goes with it. */
export function dropSoundsOf(draft: Sequence, step: string): void {
  for (const sound of Object.values(draft.sounds ?? {})) if (sound.step === step) delete draft.sounds?.[sound.id];
  dropEmpty(draft);
}

/** Gives a step's copy its own of all that is said in the first. */
export function copySoundsOf(draft: Sequence, from: string, to: string): void {
  for (const sound of Object.values(draft.sounds ?? {})) {
    if (sound.step !== from) continue;
    const id = freshId();
    if (draft.sounds) draft.sounds[id] = { ...sound, id, step: to, name: freeSoundName(draft, sound.name) };
  }
}

/** Puts what begins in a part of a step, ticks from its start, into another step. */
export function rehomeSounds(draft: Sequence, from: string, since: number, to: string, by: number): void {
  for (const sound of Object.values(draft.sounds ?? {}))
    if (sound.step === from && sound.at >= since) Object.assign(sound, { step: to, at: sound.at + by });
}
