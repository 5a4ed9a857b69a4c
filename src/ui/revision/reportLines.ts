import { type Change, SURE } from "../../core/revision/match";
import type { ReportLine } from "../../core/revision/report";

export const CHANGE_WORDS: Readonly<Record<Change, string>> = {
  same: "same",
  moved: "moved",
  reshaped: "reshaped",
  renamed: "renamed",
  new: "new",
  gone: "gone",
};

/** Which parts the report shows. */
export type Show = "changed" | "check" | "all";

/** A part that an earlier revision lost and this one does not bring back. */
export const stillGone = (l: ReportLine) => l.wasGone && l.next === null;
export const changed = (l: ReportLine) => !stillGone(l) && (l.wasGone || l.changes.some((c) => c !== "same"));
/** A match that is worth a look. */
export const doubtful = (l: ReportLine) => l.old !== null && l.next !== null && l.confidence < SURE;

/** How many parts changed in each way. */
export function countChanges(lines: readonly ReportLine[]): Record<Change, number> {
  const out: Record<Change, number> = { same: 0, moved: 0, reshaped: 0, renamed: 0, new: 0, gone: 0 };
  for (const l of lines) if (!stillGone(l)) for (const c of l.changes) out[c]++;
  return out;
}

/** The titles of the steps that what changed is used in, in the order of the sequences. */
export function touchedSteps(lines: readonly ReportLine[], order: readonly string[]): string[] {
  const steps = new Map(lines.flatMap((l) => (changed(l) ? l.steps : [])).map((s) => [s.step, s.title]));
  return [...steps].sort((a, b) => order.indexOf(a[0]) - order.indexOf(b[0])).map(([, title]) => title);
}
