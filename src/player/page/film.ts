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
  const { outputs: _o, meant: _m, sounds, triggers, ...rest } = structuredClone(sequence);
  const steps: Record<string, Step> = {};
  for (const [id, step] of Object.entries(rest.steps)) {
    for (const move of Object.values(step.moves)) move.note = "";
    steps[id] = { ...step, note: "", ...(step.on ? {} : { title: "", caption: "" }) };
  }
  // What plays something that is off or gone plays nothing.
  const left = Object.values(triggers ?? {}).filter((t) => {
    const step = steps[t.step];
    return step?.on && (t.move === null || step.moves[t.move]?.on);
  });
  return {
    ...rest,
    ...(left.length > 0 ? { triggers: Object.fromEntries(left.map((t) => [t.id, t])) } : {}),
    steps,
    timings: {},
    markers: {},
    goal: null,
    ...(sound && sounds ? { sounds } : {}),
  };
}
