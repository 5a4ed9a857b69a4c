import { inBrowser } from "./browser";
import type { Measurement } from "./measurement";

interface Result {
  points: number;
  /** ms of script that opening took, once. */
  opened: number;
  zoom: { ours: number; bare: number };
  nudge: { ours: number; bare: number };
}

/**
 * Curves with 3,600 points, against a bare page that draws the same paths; see bench/curves.page.tsx. Nudging all of
 * them is compared with compiling the sequence and drawing it there.
 */
export async function measureCurves(): Promise<Measurement[]> {
  const r = await inBrowser<Result>("bench/curves.page.tsx");
  const row = (name: string, v: { ours: number; bare: number }, note: string): Measurement => ({
    name,
    ours: v.ours,
    reference: v.bare,
    ratio: v.ours / v.bare,
    unit: "ms of script",
    note,
  });
  return [
    row("curves-zoom", r.zoom, `${r.points} points in three strips; opened in ${r.opened.toFixed(0)} ms`),
    row("curves-nudge", r.nudge, "all points selected and moved, saved and drawn again"),
  ];
}
