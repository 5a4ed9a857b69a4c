import type { Sequence } from "../../core/document/sequence";
import type { Pcm } from "../../core/sound/mix";
import { peakCount, peaksInto } from "../../core/sound/peaks";
import { problemOf } from "../../core/text/problem";
import { request } from "../api";
import type { Desk } from "../port";
import { type Decoded, decodeSound } from "./decode";
import type { Heard } from "./soundFile";

/** Stretches of a waveform that are worked out in one go: about a millisecond. */
const PIECE = 400;

/** Lowest and highest samples all through, worked out in pieces between which the page is free. */
export async function peaksOf(pcm: Pcm): Promise<Float32Array> {
  const n = peakCount(pcm.channels[0]?.length ?? 0, pcm.rate);
  const peaks = new Float32Array(2 * n);
  for (let at = 0; at < n; at += PIECE) {
    if (at > 0) await new Promise((done) => setTimeout(done));
    peaksInto(pcm.channels, pcm.rate, at, peaks.subarray(2 * at, 2 * Math.min(n, at + PIECE)));
  }
  return peaks;
}

export function setHeard(desk: Desk, asset: string, heard: Heard): void {
  desk.set({ heard: { ...desk.state.heard, [asset]: heard } });
}

/** Takes in samples that were decoded already. */
export async function hear(desk: Desk, asset: string, { pcm, buffer }: Decoded): Promise<void> {
  setHeard(desk, asset, { state: "ready", pcm, buffer, peaks: await peaksOf(pcm) });
}

/** Loads a sound that is not at the desk yet. @returns its samples, null where it cannot be had */
async function load(desk: Desk, asset: string, file: string, bytesOf: BytesOf): Promise<void> {
  setHeard(desk, asset, { state: "loading" });
  try {
    await hear(desk, asset, await decodeSound(await bytesOf(asset), file));
  } catch (error) {
    setHeard(desk, asset, { state: "failed", message: problemOf(error) });
  }
}

export type BytesOf = (asset: string) => Promise<ArrayBuffer>;

/** The files of a desk's project, from the server. */
export const soundBytes =
  (desk: Desk): BytesOf =>
  async (asset) =>
    (await request(`/api/projects/${desk.state.projectId}/sounds/${asset}`)).arrayBuffer();

/** Assets of the open sequence's recordings, with their file names. */
function wantedBy(desk: Desk): Map<string, string> {
  return new Map(Object.values(desk.body().sounds ?? {}).map((s) => [s.asset, s.file]));
}

/**
 * Keeps the samples of the open sequence's recordings at hand, and lets go of others.
 * @param bytesOf the file of an asset @returns what ends it
 */
export function keepHeard(desk: Desk, bytesOf: BytesOf): () => void {
  const look = () => {
    const wanted = wantedBy(desk);
    const { heard } = desk.state;
    // What is undone may come back: files go only with the sequence that they are in.
    for (const [asset, file] of wanted) if (!heard[asset]) void load(desk, asset, file, bytesOf);
  };
  const drop = () => {
    const wanted = wantedBy(desk);
    desk.set({ heard: Object.fromEntries(Object.entries(desk.state.heard).filter(([asset]) => wanted.has(asset))) });
  };
  look();
  return desk.store.subscribe((s, before) => {
    if (s.sequenceId !== before.sequenceId) drop();
    if (s.sequences !== before.sequences || s.sequenceId !== before.sequenceId) look();
  });
}

/** Tries again for what could not be had. */
export function hearAgain(desk: Desk): void {
  const left = Object.entries(desk.state.heard).filter(([, h]) => h.state !== "failed");
  desk.set({ heard: Object.fromEntries(left), sequences: [...desk.state.sequences] });
}

/** Samples of all that a sequence's recordings hold, once they are loaded; what cannot be had is left out. */
export async function samplesOf(desk: Desk, sequence: Pick<Sequence, "sounds">): Promise<Record<string, Pcm>> {
  const out: Record<string, Pcm> = {};
  for (const { asset } of Object.values(sequence.sounds ?? {})) {
    const heard = await settled(desk, asset);
    if (heard?.state === "ready") out[asset] = heard.pcm;
  }
  return out;
}

/** What becomes of a sound file that is on its way. */
function settled(desk: Desk, asset: string): Promise<Heard | undefined> {
  const now = desk.state.heard[asset];
  if (now?.state !== "loading") return Promise.resolve(now);
  return new Promise((done) => {
    const stop = desk.store.subscribe((s) => {
      const heard = s.heard[asset];
      if (heard?.state === "loading") return;
      stop();
      done(heard);
    });
  });
}
