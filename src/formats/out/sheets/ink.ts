import { ARROW } from "../../../core/drawing/arrows";
import type { Strokes } from "../../../core/drawing/lines";

/** How lines are inked: widths in points on paper, whatever the size of the picture. */
export interface Ink {
  width: number;
  color: string;
}

const PAPER_INK = "#1E2A38";

/** What acts is drawn in heavy ink; the rest lighter, and what one can look through faintest. */
export function inkOf(s: Pick<Strokes, "outline" | "acts" | "faint">): Ink {
  if (s.faint) return s.acts ? { width: s.outline ? 0.7 : 0.4, color: "#4A545F" } : { width: 0.28, color: "#A9AFB5" };
  if (s.acts) return { width: s.outline ? 1.1 : 0.55, color: PAPER_INK };
  return { width: s.outline ? 0.55 : 0.3, color: "#6B747D" };
}

export const INK = {
  text: PAPER_INK,
  soft: "#5B6570",
  rule: "#B9BEC4",
  frame: "#D5D8DC",
  /** Arrows, with an edge of paper round them that sets them off from what they lie on. */
  arrow: "#A63D2F",
  halo: "#FFFDF8",
  /** Widths in units of the drawing. */
  shaft: ARROW.shaft,
  edge: 2.2,
  dash: { width: 0.5, on: 4, off: 2.5 },
} as const;
