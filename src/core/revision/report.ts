import type { AffectedStep } from "./identity";
import type { Change } from "./match";
import type { MatchReason } from "./matching";

/** One side of a line of the report. */
export interface ReportSide {
  key: string;
  name: string;
  owner: string;
  kind: "assembly" | "part";
}

/** What becomes of one part. */
export interface ReportLine {
  old: ReportSide | null;
  next: ReportSide | null;
  /** The old side was already missing before this revision. */
  wasGone: boolean;
  changes: Change[];
  confidence: number;
  reason: MatchReason | null;
  movedMm: number;
  steps: AffectedStep[];
}

/** What a file that was read as a revision would change. */
export interface RevisionReport {
  fileName: string;
  base: number;
  lines: ReportLine[];
  warnings: string[];
}
