import { nth } from "../../../core/math/packed";
import type { Program } from "../../../core/program/program";
import { TICKS_PER_SECOND } from "../../../core/time/time";

function stamp(ticks: number, point: "." | ","): string {
  const ms = Math.round((ticks * 1000) / TICKS_PER_SECOND);
  const pad = (v: number, n: number) => String(v).padStart(n, "0");
  return `${pad(Math.floor(ms / 3_600_000), 2)}:${pad(Math.floor(ms / 60_000) % 60, 2)}:${pad(Math.floor(ms / 1000) % 60, 2)}${point}${pad(ms % 1000, 3)}`;
}

type Range = { from: number; to: number };
const all = (program: Program): Range => ({ from: 0, to: program.steps.length });

/** What of a step is written: what is read while it lasts, or its title, by which players find it. */
export type Words = "caption" | "title";

/** One cue a step that has such words, from its start to its end; a blank line would end the cue. */
function cuesOf(program: Program, range: Range, words: Words): { from: number; to: number; text: string }[] {
  return program.steps.ids.flatMap((id, i) => {
    const text = program.sequence.steps[id]?.[words].trim().replace(/\n\s*\n/g, "\n");
    const from = Math.max(range.from, nth(program.steps.start, i));
    const to = Math.min(range.to, nth(program.steps.end, i));
    return text && to > from ? [{ from: from - range.from, to: to - range.from, text }] : [];
  });
}

/**
 * The captions of a sequence as WebVTT (W3C).
 * @param range the part that is published, ticks; its beginning is nought
 */
export function captionsAsVtt(program: Program, range: Range = all(program), words: Words = "caption"): string {
  const cues = cuesOf(program, range, words).map(({ from, to, text }) => {
    // "&", "<" and ">" are markup in WebVTT.
    const plain = text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;");
    return `${stamp(from, ".")} --> ${stamp(to, ".")}\n${plain}`;
  });
  return `WEBVTT\n\n${cues.join("\n\n")}\n`;
}

/** The same as SubRip text, with numbered cues. */
export function captionsAsSrt(program: Program, range: Range = all(program), words: Words = "caption"): string {
  return cuesOf(program, range, words)
    .map(({ from, to, text }, i) => `${i + 1}\n${stamp(from, ",")} --> ${stamp(to, ",")}\n${text}\n`)
    .join("\n");
}
