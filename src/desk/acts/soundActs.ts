import type { Sound } from "../../core/document/sounds";
import { freshId } from "../../core/edit/id";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import {
  addSound,
  fitStill,
  moveSound,
  newSound,
  removeSound,
  replaceSound,
  setSound,
  setSoundRole,
  stillForVoice,
} from "../../core/edit/soundCommands";
import { together } from "../../core/edit/together";
import { SOUND_MAX_BYTES, soundKind } from "../../core/sound/kind";
import { soundStart } from "../../core/sound/schedule";
import { isStop, problemOf } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import { formatSecondsShort, secondsToTicks, ticksPerFrame } from "../../core/time/time";
import { upload } from "../api";
import type { Desk } from "../port";
import { chooseParts } from "../selection/selecting";
import { sound as soundSelected } from "../selection/selection";
import { checkLength, decodeSound } from "../sounds/decode";
import { hear } from "../sounds/heard";

/** What bringing in a sound file needs from outside; the browser's own by default. */
export interface SoundPort {
  check: typeof checkLength;
  decode: typeof decodeSound;
  upload: typeof upload;
}
const PORT: SoundPort = { check: checkLength, decode: decodeSound, upload };

interface Stored {
  asset: string;
  name: string;
  /** Ticks. */
  length: number;
}

/** Reads a sound file and keeps it on the server. @throws Refusal, ApiError */
async function stored(desk: Desk, file: File, port: SoundPort, told: Told): Promise<Stored> {
  if (file.size === 0) throw new Refusal("sound-empty", { file: file.name });
  if (file.size > SOUND_MAX_BYTES)
    throw new Refusal("sound-too-large", { file: file.name, most: Math.round(SOUND_MAX_BYTES / 1048576) });
  const bytes = await file.arrayBuffer();
  if (!soundKind(new Uint8Array(bytes, 0, Math.min(16, bytes.byteLength))))
    throw new Refusal("sound-unreadable", { file: file.name });
  await port.check(file, file.name);
  const decoded = await port.decode(bytes, file.name);
  const samples = decoded.pcm.channels[0]?.length ?? 0;
  const address = `/api/projects/${desk.state.projectId}/sounds?name=${encodeURIComponent(file.name)}`;
  const { asset } = await port.upload<{ asset: string }>(address, file, told.share, told.signal);
  await hear(desk, asset, decoded);
  return { asset, name: file.name, length: Math.max(1, secondsToTicks(samples / decoded.pcm.rate)) };
}

interface Told {
  share(share: number): void;
  signal: AbortSignal;
}

/** Stores files one after the other, shown as work that can be stopped. @returns those that are there, in order */
async function storedAll(desk: Desk, files: readonly File[], port: SoundPort): Promise<Stored[]> {
  const abort = new AbortController();
  const out: Stored[] = [];
  const stop = () => abort.abort();
  for (const [i, file] of files.entries()) {
    const text =
      files.length > 1 ? `Bringing in "${file.name}" (${i + 1} of ${files.length})` : `Bringing in "${file.name}"`;
    const told = { share: (share: number) => desk.set({ work: { text, share, stop } }), signal: abort.signal };
    told.share(0);
    try {
      out.push(await stored(desk, file, port, told));
    } catch (error) {
      if (isStop(error)) break;
      desk.notify("problem", problemOf(error));
    }
    if (abort.signal.aborted) break;
  }
  desk.set({ work: null });
  return out;
}

/** Where new recordings go: a step, and when in it, ticks from its start. */
export interface SoundPlace {
  role: Sound["role"];
  step: string | null;
  at: number;
}

/**
 * Brings in sound files as recordings. Several voices go to as many steps, one after another from the first on, in the
 * order of their names; what is left over goes behind the last. Music begins where it is put.
 */
export async function addSoundFiles(
  desk: Desk,
  files: readonly File[],
  place: SoundPlace,
  port: SoundPort = PORT,
): Promise<void> {
  const sorted = [...files].sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }));
  const there = await storedAll(desk, sorted, port);
  if (there.length === 0) return;
  const order = desk.body().stepOrder.filter((id) => desk.body().steps[id]?.on);
  const first = place.step === null ? -1 : order.indexOf(place.step);
  const sounds: Sound[] = [];
  let behind = 0;
  for (const [i, file] of there.entries()) {
    const step = first < 0 ? place.step : (order[Math.min(order.length - 1, first + i)] ?? place.step);
    const again = i > 0 && sounds[i - 1]?.step === step;
    const at = again ? behind : i === 0 ? place.at : 0;
    behind = at + file.length;
    sounds.push(newSound(freshId(), file, { ...place, step, at }));
  }
  const label = sounds.length === 1 ? `Add recording "${sounds[0]?.name}"` : `Add ${sounds.length} recordings`;
  if (!desk.edit(label, together(sounds.map(addSound)))) return;
  chooseParts(desk, soundSelected((sounds[0] as Sound).id));
  if (sounds.length > 1 && first >= 0) {
    const steps = new Set(sounds.map((s) => s.step)).size;
    const rest = sounds.length - steps;
    const left = rest > 0 ? `; ${rest} more stand behind the last` : "";
    desk.notify("info", `${sounds.length} recordings, one for each of ${steps} steps from here on${left}.`);
  }
}

/** Puts another file in a recording's place: it stays where it is. */
export async function replaceSoundFile(desk: Desk, id: string, file: File, port: SoundPort = PORT): Promise<void> {
  const was = desk.body().sounds?.[id];
  const [next] = await storedAll(desk, [file], port);
  if (!was || !next) return;
  if (!desk.edit(`Another file for "${was.name}"`, replaceSound(id, next))) return;
  const now = desk.body().sounds?.[id];
  const trimmed = now && was.to - was.from !== now.to - now.from && was.to < was.length;
  const change = next.length - was.length;
  const longer = `${formatSecondsShort(Math.abs(change))} s ${change > 0 ? "longer" : "shorter"} than before`;
  desk.notify(
    "info",
    `It stays at its time${Math.abs(change) > 1000 ? `, and is ${longer}` : ""}${trimmed ? "; its trim was fitted to it" : ""}.`,
  );
}

export function removeSoundAct(desk: Desk, id: string): void {
  desk.edit(`Remove recording "${nameOf(desk, id)}"`, removeSound(id));
}

/** Changes a recording; changes of one kind that follow one another are one entry of undo. */
export function changeSound(desk: Desk, id: string, what: string, change: Parameters<typeof setSound>[1]): boolean {
  return desk.edit(`${what} of "${nameOf(desk, id)}"`, setSound(id, change));
}

/** A voice that becomes music begins where it is heard now; music that becomes a voice joins the step it begins in. */
export function changeRole(desk: Desk, id: string, role: Sound["role"]): void {
  const sound = desk.body().sounds?.[id];
  if (!sound || sound.role === role) return;
  const start = soundStart(sound, desk.program.steps) ?? 0;
  const step = desk.stepAtPlayhead(start);
  const place = role === "music" || !step ? { step: null, at: start } : { step: step.id, at: start - step.start };
  if (!desk.edit(`"${sound.name}" as ${role === "music" ? "music" : "a voice"}`, setSoundRole(id, role, place))) return;
  const now = desk.body().sounds?.[id];
  if (now && now.volume !== sound.volume)
    desk.notify("info", `As music it lies at ${now.volume} dB, to leave room for voices.`);
  if (sound.repeat && !now?.repeat) desk.notify("info", "As a voice it is heard once; it no longer repeats.");
}

/** A recording put at a time of the sequence, ticks: a voice joins the step there. */
export function soundTo(desk: Desk, id: string, ticks: number): SequenceCommand | null {
  const sound = desk.body().sounds?.[id];
  if (!sound) return null;
  const at = Math.max(0, Math.round(ticks));
  if (sound.step === null) return moveSound(id, null, at);
  const step = desk.stepAtPlayhead(at);
  return step ? moveSound(id, step.id, at - step.start) : null;
}

/** Moves the selected recording by frames. */
export function nudgeSound(desk: Desk, frames: number): void {
  const { selected } = desk.state;
  const sound = selected.kind === "sound" ? desk.body().sounds?.[selected.id] : undefined;
  const start = sound && soundStart(sound, desk.program.steps);
  if (!sound || start === null || start === undefined) return;
  const asked = start + frames * ticksPerFrame(desk.sequence.rate);
  if (asked < 0) desk.notify("info", "It stops at the beginning of the sequence.");
  const command = soundTo(desk, sound.id, asked);
  if (command) desk.edit(`Move recording "${sound.name}"`, command, `nudge-sound-${sound.id}`);
}

/** Fits the still after a step to what is said in it, and says what came of it. */
export function fitStillAct(desk: Desk, stepId: string): void {
  const step = desk.body().steps[stepId];
  const still = stillForVoice(desk.body(), stepId);
  if (!step) return;
  if (!desk.edit(`Still after of "${step.title}" to its recording`, fitStill(stepId))) return;
  if (still === 0) desk.notify("info", "The action alone lasts as long as what is said: no still is left after it.");
}

const nameOf = (desk: Desk, id: string): string => desk.body().sounds?.[id]?.name ?? "";
