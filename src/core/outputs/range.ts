import type { OutputRange } from "../document/outputs";
import { nth } from "../math/packed";
import type { Program } from "../program/program";

/**
 * The times of a range in a program, ticks. Steps that are switched off are passed over to the next that is on.
 * @returns null where its steps are gone or nothing is left of it
 */
export function stepRange(range: OutputRange, program: Program): { from: number; to: number } | null {
  const { steps, sequence } = program;
  if (range.of === "all") return steps.length > 0 ? { from: 0, to: steps.length } : null;
  if (range.of === "time") {
    const to = Math.min(range.to, steps.length);
    return range.from < to ? { from: range.from, to } : null;
  }
  const places = [range.first, range.last].map((id) => sequence.stepOrder.indexOf(id));
  const [first, last] = [Math.min(...places), Math.max(...places)];
  if (first < 0) return null;
  const on = sequence.stepOrder.slice(first, last + 1).flatMap((id) => steps.position.get(id) ?? []);
  if (on.length === 0) return null;
  return { from: nth(steps.start, nth(on, 0)), to: nth(steps.end, nth(on, on.length - 1)) };
}
