import type { Sequence, Step } from "./sequence";

/**
 * A sequence as those get it who only look: without notes, outputs, timings, findings, and texts of steps that are off.
 * @param sound whether it is heard
 */
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
