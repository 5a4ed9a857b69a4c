import { nth } from "../math/packed";
import { type Match, Matching, type MatchReason } from "./matching";
import { type NodeSignature, shapeLikeness } from "./signature";

/** Confidence from which a match needs no look. */
export const SURE = 0.75;

/**
 * Matches the occurrences of two revisions. From the root down, children of matched owners are paired: by name where a
 * name is theirs alone, and among those that share a name by shape and place rather than by order, so that a screw
 * inserted before others shifts none. What is left is paired by shape and place wherever it lies (renamed, moved to
 * another owner), and sub-assemblies by the children they share. A node is never paired twice.
 */
export function matchRevisions(old: readonly NodeSignature[], next: readonly NodeSignature[]): Match[] {
  const matching = new Matching(old, next);
  matching.byOwners();
  matching.anywhereElse();
  return matching.found.sort((a, b) => a.old - b.old);
}

export type Change = "same" | "moved" | "reshaped" | "renamed" | "new" | "gone";

/** One line of the report on a revision. A part can be renamed and moved and reshaped at once. */
export interface RevisionLine {
  /** Position in the old list, or -1 for a new one. */
  old: number;
  /** Position in the new list, or -1 for one that is gone. */
  next: number;
  changes: Change[];
  confidence: number;
  reason: MatchReason | null;
  /** How far its middle moved, mm. */
  movedMm: number;
}

/** What changed between two revisions under a matching. */
export function compareRevisions(
  old: readonly NodeSignature[],
  next: readonly NodeSignature[],
  matches: readonly Match[],
  moved: (old: number, next: number) => boolean,
): RevisionLine[] {
  const byOld = new Map(matches.map((m) => [m.old, m]));
  const taken = new Set(matches.map((m) => m.next));
  const lines: RevisionLine[] = old.map((a, i) => {
    const m = byOld.get(i);
    if (!m) return { old: i, next: -1, changes: ["gone"], confidence: 1, reason: null, movedMm: 0 };
    const b = next[m.next] as NodeSignature;
    const changes: Change[] = [];
    const reshaped =
      a.kind !== b.kind || (a.shape !== null && b.shape !== null && shapeLikeness(a.shape, b.shape) < 0.99);
    if (a.name !== b.name) changes.push("renamed");
    if (moved(i, m.next)) changes.push("moved");
    if (reshaped) changes.push("reshaped");
    if (changes.length === 0) changes.push("same");
    return {
      old: i,
      next: m.next,
      changes,
      confidence: m.confidence,
      reason: m.reason,
      movedMm: Math.hypot(...a.middle.map((v, k) => v - nth(b.middle, k))),
    };
  });
  next.forEach((_, n) => {
    if (!taken.has(n)) lines.push({ old: -1, next: n, changes: ["new"], confidence: 1, reason: null, movedMm: 0 });
  });
  return lines;
}
