import { updateStep } from "../edit/sequenceCommands";
import { nth } from "../math/packed";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import type { Check } from "./check";

/** Words of a text: runs of letters and digits. */
export const wordsOf = (text: string): number => text.match(/[\p{L}\p{N}]+(?:['’.,\-/][\p{L}\p{N}]+)*/gu)?.length ?? 0;

/** Captions that are gone before they can be read. */
export const reading: Check<"speed" | "least"> = {
  id: "reading",
  title: "Captions too short to read",
  why: "Who reads the caption cannot look at the part; who looks at the part has not read it.",
  needs: ["program"],
  thresholds: {
    speed: { label: "Read at", unit: "1/s", min: 0.5, max: 10, usual: 2.5 },
    least: { label: "Shown for at least", unit: "s", min: 0, max: 10, usual: 1.5 },
  },
  mends: {
    lengthen: {
      title: "Lengthen the still after",
      command: ({ program }, f) => {
        const frame = ticksPerFrame(program.sequence.rate);
        const short = (f.numbers.needed?.value ?? 0) * TICKS_PER_SECOND - (f.to - f.from);
        const still = program.sequence.steps[f.step]?.stillAfter ?? 0;
        return updateStep(f.step, { stillAfter: still + Math.ceil(short / frame - 1e-9) * frame });
      },
    },
  },
  run({ program, thresholds }, report) {
    const { steps, sequence } = program;
    steps.ids.forEach((id, position) => {
      const words = wordsOf(sequence.steps[id]?.caption ?? "");
      if (words === 0) return;
      const [from, to] = [nth(steps.start, position), nth(steps.end, position)];
      const shown = (to - from) / TICKS_PER_SECOND;
      const needed = Math.max(thresholds.least, words / thresholds.speed);
      if (shown >= needed - 1e-6) return;
      report({
        // A third too short is a mistake; less may be read by who is quick.
        severity: shown < needed * (2 / 3) ? "wrong" : "look",
        ...{ what: "short", step: id, from, to, targets: [] },
        numbers: {
          words: { value: words, unit: "" },
          shown: { value: shown, unit: "s" },
          needed: { value: needed, unit: "s" },
        },
        mends: ["lengthen"],
        about: ["caption"],
      });
    });
  },
};
