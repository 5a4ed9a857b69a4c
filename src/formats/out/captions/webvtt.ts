import { nth } from "../../../core/math/packed";
import type { Program } from "../../../core/program/program";
import { TICKS_PER_SECOND } from "../../../core/time/time";

function stamp(ticks: number): string {
  const ms = Math.round((ticks * 1000) / TICKS_PER_SECOND);
  const pad = (v: number, n: number) => String(v).padStart(n, "0");
  return `${pad(Math.floor(ms / 3_600_000), 2)}:${pad(Math.floor(ms / 60_000) % 60, 2)}:${pad(Math.floor(ms / 1000) % 60, 2)}.${pad(ms % 1000, 3)}`;
}

/**
 * The captions of a sequence as WebVTT (W3C): one cue a step that has a caption, from its start to its end.
 * @param range the part that is published, ticks; its beginning is nought
 */
export function captionsAsVtt(
  program: Program,
  range: { from: number; to: number } = { from: 0, to: program.steps.length },
): string {
  const cues: string[] = [];
  program.steps.ids.forEach((id, i) => {
    const caption = program.sequence.steps[id]?.caption.trim();
    if (!caption) return;
    // A blank line would end the cue; "&", "<" and ">" are markup in WebVTT.
    const text = caption
      .replace(/&/g, "&amp;")
      .replace(/</g, "&lt;")
      .replace(/>/g, "&gt;")
      .replace(/\n\s*\n/g, "\n");
    const from = Math.max(range.from, nth(program.steps.start, i));
    const to = Math.min(range.to, nth(program.steps.end, i));
    if (to > from) cues.push(`${stamp(from - range.from)} --> ${stamp(to - range.from)}\n${text}`);
  });
  return `WEBVTT\n\n${cues.join("\n\n")}\n`;
}
