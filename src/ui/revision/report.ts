import type { Change, MatchReason } from "../../core/revision/match";

/** The server's report on a revision, as it arrives; see src/server/imports/revise.ts. */
export interface ReportSide {
  key: string;
  name: string;
  owner: string;
  kind: "assembly" | "part";
}

export interface ReportLine {
  old: ReportSide | null;
  next: ReportSide | null;
  wasGone: boolean;
  changes: Change[];
  confidence: number;
  reason: MatchReason | null;
  movedMm: number;
  steps: { sequence: string; step: string; title: string; arrivals: number }[];
}

export interface RevisionReport {
  fileName: string;
  base: number;
  lines: ReportLine[];
  warnings: string[];
}
