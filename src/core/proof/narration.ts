import { fitStill, moveSound } from "../edit/soundCommands";
import { nth } from "../math/packed";
import { type PlacedSound, placedSounds } from "../sound/schedule";
import { TICKS_PER_SECOND } from "../time/time";
import type { Check, Quantity } from "./check";

const s = (ticks: number): Quantity => ({ value: ticks / TICKS_PER_SECOND, unit: "s" });

/** What is said goes on after its step, is cut off by the end of the film, or is said over something else. */
export const narration: Check<"over"> = {
  id: "narration",
  title: "Narration longer than its step, or over another",
  why: "Who listens is still with the last step while the next one is shown, or understands neither voice.",
  needs: ["program"],
  thresholds: { over: { label: "After its step by at least", unit: "s", min: 0, max: 10, usual: 0.2 } },
  mends: {
    fit: {
      title: "Fit the still after the step to it",
      command: (_, f) => fitStill(f.step),
    },
    after: {
      title: "Say it after the other",
      command: ({ program }, f) => {
        const [, , second = ""] = f.about.split(" ");
        const sound = program.sequence.sounds?.[second];
        const by = Math.round((f.numbers.both?.value ?? 0) * TICKS_PER_SECOND);
        return moveSound(second, sound?.step ?? null, (sound?.at ?? 0) + by);
      },
    },
  },
  run({ program, thresholds }, report) {
    const { steps, sequence } = program;
    const voices = placedSounds(sequence, steps).filter((v) => v.sound.role === "voice");
    for (const v of voices) {
      const { step, name } = v.sound;
      const position = step === null ? undefined : steps.position.get(step);
      if (step === null || position === undefined) continue;
      const over = v.start + v.sound.to - v.sound.from - nth(steps.end, position);
      const by = { severity: "look" as const, step, targets: [], named: name, about: [v.sound.id], mends: ["fit"] };
      if (v.lost > 0)
        report({ ...by, severity: "wrong", what: "cut", from: v.end - 1, to: v.end, numbers: { lost: s(v.lost) } });
      else if (over > 0 && over >= thresholds.over * TICKS_PER_SECOND)
        report({ ...by, what: "over", from: nth(steps.end, position), to: v.end, numbers: { over: s(over) } });
    }
    for (const [a, b] of pairs(voices)) {
      const both = Math.min(a.end, b.end) - b.start;
      report({
        ...{ severity: "wrong", what: "together", step: b.sound.step ?? a.sound.step ?? "", targets: [] },
        ...{ from: b.start, to: b.start + both, named: `${a.sound.name} and ${b.sound.name}` },
        ...{ about: [a.sound.id, b.sound.id], numbers: { both: s(a.end - b.start), lasts: s(both) }, mends: ["after"] },
      });
    }
  },
};

/** Voices one of which begins before the other has ended, the earlier first. */
function* pairs(voices: readonly PlacedSound[]): Generator<[PlacedSound, PlacedSound]> {
  for (const [i, a] of voices.entries())
    for (const b of voices.slice(i + 1)) if (b.start < a.end - TICKS_PER_SECOND / 100) yield [a, b];
}
