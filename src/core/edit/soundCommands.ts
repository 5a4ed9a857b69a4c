import type { Sequence } from "../document/sequence";
import { SOUND_NAME_MAX, type Sound } from "../document/sounds";
import { actionLength } from "../program/spans";
import { Refusal } from "../text/refusal";
import { ticksPerFrame } from "../time/time";
import type { SequenceCommand } from "./sequenceCommands";
import { dropEmpty, freeSoundName } from "./stepSounds";

const MOST = 500;
/** Shortest that a recording may be trimmed to, ticks of 1/100 s. */
export const SOUND_LEAST = 7_056_000;

function soundIn(draft: Sequence, id: string): Sound {
  const sound = draft.sounds?.[id];
  if (!sound) throw new Refusal("gone", { what: "recording" });
  return sound;
}

/** What a recording is until something else is said. */
export function newSound(
  id: string,
  file: { asset: string; name: string; length: number },
  place: Pick<Sound, "role" | "step" | "at">,
): Sound {
  const { role, step, at } = place;
  // In the order in which documents are stored.
  return {
    ...{ id, name: file.name.replace(/\.[^.]+$/, "").slice(0, SOUND_NAME_MAX) || "Recording" },
    ...{ asset: file.asset, file: file.name.slice(0, 255), length: file.length },
    ...{ role, step, at, from: 0, to: file.length },
    ...{ volume: role === "music" ? -12 : 0, fadeIn: 0, fadeOut: 0, duck: 12, repeat: false, on: true },
  };
}

/** Adds a recording. @throws Refusal when its step is gone or there are too many */
export function addSound(sound: Sound): SequenceCommand {
  return (draft) => {
    if (sound.step !== null && !draft.steps[sound.step]) throw new Refusal("gone", { what: "step" });
    draft.sounds ??= {};
    if (Object.keys(draft.sounds).length >= MOST) throw new Refusal("sounds-many", { most: MOST });
    draft.sounds[sound.id] = { ...sound, name: freeSoundName(draft, sound.name) };
  };
}

/** Sets what a recording sounds like, or what it is called. @throws Refusal when it is gone or has no name */
export function setSound(
  id: string,
  change: Partial<Pick<Sound, "name" | "volume" | "fadeIn" | "fadeOut" | "duck" | "repeat" | "on">>,
): SequenceCommand {
  return (draft) => {
    const sound = soundIn(draft, id);
    if (change.name !== undefined && change.name.trim() === "") throw new Refusal("name-needed", { what: "recording" });
    Object.assign(sound, change.name === undefined ? change : { ...change, name: change.name.trim() });
  };
}

/** Makes a voice music, or the other way round: music lies under the whole sequence. */
export function setSoundRole(id: string, role: Sound["role"], place: Pick<Sound, "step" | "at">): SequenceCommand {
  return (draft) => {
    const sound = soundIn(draft, id);
    const volume = role === "music" && sound.volume === 0 ? -12 : sound.volume;
    Object.assign(sound, { role, ...place, volume });
    if (role === "voice") sound.repeat = false;
  };
}

/** Puts a recording at a time of a step (null: of the sequence), ticks. @throws Refusal when either is gone */
export function moveSound(id: string, step: string | null, at: number): SequenceCommand {
  return (draft) => {
    if (step !== null && !draft.steps[step]) throw new Refusal("gone", { what: "step" });
    Object.assign(soundIn(draft, id), { step, at: Math.max(0, Math.round(at)) });
  };
}

/**
 * Trims a recording to what lies between two times of its file, ticks. What is heard stays where it is in the
 * sequence: taken off at the beginning, it begins later. @throws Refusal when hardly anything is left
 */
export function trimSound(id: string, from: number, to: number): SequenceCommand {
  return (draft) => {
    const sound = soundIn(draft, id);
    const next = { from: Math.max(0, Math.round(from)), to: Math.min(sound.length, Math.round(to)) };
    if (next.to - next.from < SOUND_LEAST) throw new Refusal("sound-too-short");
    const at = sound.at + next.from - sound.from;
    if (at < 0) throw new Refusal("sound-before-step");
    Object.assign(sound, next, { at });
  };
}

/**
 * Puts another file in a recording's place. Its time, volume and fades stay, and what was trimmed off as far as the
 * new file is long enough; what was heard to its end is heard to its new end.
 */
export function replaceSound(id: string, file: { asset: string; name: string; length: number }): SequenceCommand {
  return (draft) => {
    const sound = soundIn(draft, id);
    const whole = sound.to === sound.length;
    const from = sound.from <= file.length - SOUND_LEAST ? sound.from : 0;
    const to = whole || sound.to - from < SOUND_LEAST ? file.length : Math.min(sound.to, file.length);
    Object.assign(sound, { asset: file.asset, file: file.name.slice(0, 255), length: file.length, from, to });
  };
}

export function removeSound(id: string): SequenceCommand {
  return (draft) => {
    soundIn(draft, id);
    delete draft.sounds?.[id];
    dropEmpty(draft);
  };
}

/**
 * The still after a step's action that ends with what is said in the step, ticks in whole frames; null where nothing
 * is said. 0 where the action alone is longer.
 */
export function stillForVoice(sequence: Sequence, stepId: string): number | null {
  const step = sequence.steps[stepId];
  const ends = Object.values(sequence.sounds ?? {})
    .filter((s) => s.step === stepId && s.role === "voice" && s.on)
    .map((s) => s.at + s.to - s.from);
  if (!step || ends.length === 0) return null;
  const rest = Math.max(...ends) - step.stillBefore - actionLength(step, sequence);
  const per = ticksPerFrame(sequence.rate);
  return Math.max(0, Math.ceil(rest / per - 1e-6) * per);
}

/** Lengthens or shortens the still after a step so that it ends with what is said in it. @throws Refusal */
export function fitStill(stepId: string): SequenceCommand {
  return (draft) => {
    const still = stillForVoice(draft, stepId);
    const step = draft.steps[stepId];
    if (still === null || !step) throw new Refusal("step-silent");
    step.stillAfter = still;
  };
}
