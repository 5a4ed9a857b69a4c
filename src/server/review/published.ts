import type { Sequence, Step } from "../../core/document/sequence";

/** A sequence as reviewers get it: without notes, outputs, other timings and the texts of steps that are off. */
export function published(sequence: Sequence): Sequence {
  const { outputs: _o, meant: _m, ...rest } = structuredClone(sequence);
  const steps: Record<string, Step> = {};
  for (const [id, step] of Object.entries(rest.steps)) {
    for (const move of Object.values(step.moves)) move.note = "";
    steps[id] = { ...step, note: "", ...(step.on ? {} : { title: "", caption: "" }) };
  }
  return { ...rest, steps, timings: {}, markers: {}, goal: null };
}
