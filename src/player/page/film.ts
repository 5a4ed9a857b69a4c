import type { Assembly } from "../../core/assembly/assembly";
import type { Look } from "../../core/document/looks";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence, Step } from "../../core/document/sequence";

/** What a page plays, as it lies in it. */
export interface PageFilm {
  assembly: Assembly;
  preparation: Preparation;
  sequence: Sequence;
  look: Pick<Look, "nodes" | "surroundings">;
  /** The part that is played, ticks. */
  range: { from: number; to: number };
  /** Whether there is a list of parts. */
  parts: boolean;
}

/** A sequence without what is not published: notes, outputs, timings, findings, texts of steps that are off. */
export function published(sequence: Sequence, sound: boolean): Sequence {
  const { outputs: _o, meant: _m, sounds, ...rest } = structuredClone(sequence);
  const steps: Record<string, Step> = {};
  for (const [id, step] of Object.entries(rest.steps)) {
    for (const move of Object.values(step.moves)) move.note = "";
    steps[id] = { ...step, note: "", ...(step.on ? {} : { title: "", caption: "" }) };
  }
  return { ...rest, steps, timings: {}, markers: {}, goal: null, ...(sound && sounds ? { sounds } : {}) };
}
