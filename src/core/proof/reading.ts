import { CAPTION_STYLE, LABEL_STYLE, leastContrast, noteSize, placeCaption, plainMeasure } from "../captions/layout";
import type { Move, Step } from "../document/sequence";
import { updateStep } from "../edit/sequenceCommands";
import { nth } from "../math/packed";
import { drawnBy } from "../program/overlay";
import type { Program } from "../program/program";
import { isOn, spanOf } from "../program/spans";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import { rise } from "./channels";
import type { Check, Finding, Report } from "./check";

/** Words of a text: runs of letters and digits. */
export const wordsOf = (text: string): number => text.match(/[\p{L}\p{N}]+(?:['’.,\-/][\p{L}\p{N}]+)*/gu)?.length ?? 0;

/** Seconds that a text takes to be read; 0 for none. */
export const readingTime = (text: string, speed: number): number => wordsOf(text) / speed;

/** When a label or dimension is wholly there, ticks of the sequence; null where it never is. */
function shownSpan(program: Program, step: string, move: Move): { from: number; to: number } | null {
  const position = program.steps.position.get(step);
  if (position === undefined) return null;
  const action = nth(program.steps.action, position);
  const rows = (program.placed.get(`m:${move.id}`) ?? []).filter((r) => r.step === step);
  const up = rows.find((r) => rise(r) > 0);
  if (!up) return null;
  const down = rows.find((r) => rise(r) < 0 && r.t0 >= up.t1);
  return { from: action + up.t0, to: down ? action + down.t1 : nth(program.steps.end, position) };
}

/** Captions and labels that are gone before they can be read, and those that cannot be read well. */
export const reading: Check<"speed" | "least" | "label" | "lines" | "size" | "contrast"> = {
  id: "reading",
  title: "Words that cannot be read",
  why: "Who reads the caption cannot look at the part; who looks at the part has not read it.",
  needs: ["program"],
  thresholds: {
    speed: { label: "Read at", unit: "1/s", min: 0.5, max: 10, usual: 2.5 },
    least: { label: "Captions shown for at least", unit: "s", min: 0, max: 10, usual: 1.5 },
    label: { label: "Labels shown for at least", unit: "s", min: 0, max: 10, usual: 1 },
    lines: { label: "Lines of a caption, at most", unit: "", min: 1, max: 8, usual: 3 },
    size: { label: "Letters at least", unit: "px", min: 4, max: 100, usual: 12 },
    contrast: { label: "Contrast at least", unit: "", min: 1, max: 21, usual: 4.5 },
  },
  mends: {
    lengthen: {
      title: "Lengthen the still after",
      command: ({ program }, f) => {
        const still = program.sequence.steps[f.step]?.stillAfter ?? 0;
        return updateStep(f.step, { stillAfter: still + lacking(program, f) });
      },
    },
    "show-longer": {
      title: "Show it for longer",
      command: ({ program }, f) => {
        const by = lacking(program, f);
        const [, move] = f.about.split(" ");
        return (draft) => {
          const it = draft.steps[f.step]?.moves[move ?? ""];
          if (it && it.kind !== "hand") it.length += by;
        };
      },
    },
  },
  run({ program, thresholds }, report) {
    const { steps, sequence } = program;
    steps.ids.forEach((id, position) => {
      const step = sequence.steps[id];
      if (!step) return;
      const [from, to] = [nth(steps.start, position), nth(steps.end, position)];
      if (step.caption.trim()) caption(program, step, from, to, thresholds, report);
      for (const move of drawnBy(step)) {
        if ((move.kind !== "label" && move.kind !== "dimension") || !isOn(step, move)) continue;
        label(program, step, move, thresholds, report);
      }
    });
  },
};

/** How much longer something has to be shown, in whole frames. */
function lacking(program: Program, f: Finding): number {
  const frame = ticksPerFrame(program.sequence.rate);
  const short = ((f.numbers.needed?.value ?? 0) - (f.numbers.shown?.value ?? 0)) * TICKS_PER_SECOND;
  return Math.max(1, Math.ceil(short / frame - 1e-6)) * frame;
}

type Thresholds = Readonly<Record<"speed" | "least" | "label" | "lines" | "size" | "contrast", number>>;

function caption(program: Program, step: Step, from: number, to: number, t: Thresholds, report: Report): void {
  const { width, height } = program.sequence.picture;
  const base = { step: step.id, from, to, targets: [], mends: [], about: ["caption"] };
  const words = wordsOf(step.caption);
  const shown = (to - from) / TICKS_PER_SECOND;
  const needed = Math.max(t.least, readingTime(step.caption, t.speed));
  if (words > 0 && shown < needed - 1e-6)
    report({
      ...base,
      // A third too short is a mistake; less may be read by who is quick.
      ...{ severity: shown < needed * (2 / 3) ? "wrong" : "look", what: "short", mends: ["lengthen"] },
      numbers: {
        words: { value: words, unit: "" },
        shown: { value: shown, unit: "s" },
        needed: { value: needed, unit: "s" },
      },
    });
  const place = placeCaption(plainMeasure, step.caption.trim(), width, height);
  const widest = Math.max(...place.lines.map(plainMeasure(place.size)));
  if (place.lines.length > t.lines || place.top < 0)
    report({
      ...base,
      ...{ severity: place.top < 0 ? "wrong" : "look", what: "lines" },
      numbers: { lines: { value: place.lines.length, unit: "" }, most: { value: t.lines, unit: "" } },
    });
  // A word without a break that is wider than the plate runs out of it.
  if (widest > width * CAPTION_STYLE.plate)
    report({
      ...base,
      ...{ severity: "wrong", what: "wide" },
      numbers: { width: { value: widest, unit: "px" }, room: { value: width * CAPTION_STYLE.plate, unit: "px" } },
    });
  if (place.size < t.size)
    report({
      ...base,
      ...{ severity: "look", what: "small" },
      numbers: { size: { value: place.size, unit: "px" }, least: { value: t.size, unit: "px" } },
    });
  const contrast = leastContrast(CAPTION_STYLE.text, CAPTION_STYLE.ground, CAPTION_STYLE.cover);
  if (contrast < t.contrast)
    report({
      ...base,
      ...{ severity: "look", what: "faint" },
      numbers: { contrast: { value: contrast, unit: "" }, least: { value: t.contrast, unit: "" } },
    });
}

function label(
  program: Program,
  step: Step,
  move: Extract<Move, { kind: "label" | "dimension" }>,
  t: Thresholds,
  report: Report,
): void {
  const span = shownSpan(program, step.id, move);
  if (!span) return;
  const { width, height } = program.sequence.picture;
  const text = move.kind === "label" ? move.settings.text : "";
  const base = { step: step.id, ...span, targets: [...move.targets], mends: [], about: [move.id] };
  const shown = (span.to - span.from) / TICKS_PER_SECOND;
  const needed = Math.max(t.label, readingTime(text, t.speed));
  if (shown < needed - 1e-6)
    report({
      ...base,
      ...{ severity: "look", what: "label-short", mends: ["show-longer"] },
      numbers: { shown: { value: shown, unit: "s" }, needed: { value: needed, unit: "s" } },
    });
  const size = noteSize(height);
  const wide = plainMeasure(size)(text) + 1.1 * size;
  if (wide > width - 8)
    report({
      ...base,
      ...{ severity: "wrong", what: "label-wide" },
      numbers: { width: { value: wide, unit: "px" }, room: { value: width - 8, unit: "px" } },
    });
  if (size < t.size)
    report({
      ...base,
      ...{ severity: "look", what: "label-small" },
      numbers: { size: { value: size, unit: "px" }, least: { value: t.size, unit: "px" } },
    });
  const { t0, t1 } = spanOf(move, program.sequence);
  if (leastContrast(LABEL_STYLE.text, LABEL_STYLE.ground, LABEL_STYLE.cover) < t.contrast && t1 > t0)
    report({
      ...base,
      ...{ severity: "look", what: "label-faint" },
      numbers: {
        contrast: { value: leastContrast(LABEL_STYLE.text, LABEL_STYLE.ground, LABEL_STYLE.cover), unit: "" },
        least: { value: t.contrast, unit: "" },
      },
    });
}
