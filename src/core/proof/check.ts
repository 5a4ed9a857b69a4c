import type { Target } from "../document/sequence";
import type { SequenceCommand } from "../edit/sequenceCommands";
import { channelKind } from "../kinematics/channelKind";
import type { Triple } from "../math/triple";
import type { Program } from "../program/program";

/** How bad a finding is: a mistake, or something that may be meant and should be looked at. */
export type Severity = "wrong" | "look";

export interface Quantity {
  value: number;
  unit: "s" | "°" | "mm" | "" | "°/s" | "mm/s" | "1/s";
}

/** Something a check points at. Data alone; its words are made in `core/text/findings.ts`. */
export interface Finding {
  check: string;
  severity: Severity;
  /** Which of the check's sentences it is. */
  what: string;
  /** The step that it is in. */
  step: string;
  /** Ticks in the sequence. */
  from: number;
  to: number;
  targets: readonly Target[];
  channel?: string;
  numbers: Readonly<Record<string, Quantity>>;
  /** A place in the assembly's frame, mm, where there is one. */
  place?: Triple;
  /** Names of the check's mends that it allows. */
  mends: readonly string[];
  /**
   * What it is about, by ids: the same finding after edits that do not change that. What is meant so is kept by it,
   * and lapses when the numbers change.
   */
  about: string;
}

/** A number that a project may choose for a check. */
export interface Threshold {
  label: string;
  unit: Quantity["unit"];
  min: number;
  max: number;
  usual: number;
}

/** What a check looks at beside the program; what is not there it says it cannot judge. */
export type Need = "program" | "poses" | "picture" | "contact";

export interface ProofContext<T extends string = string> {
  program: Program;
  thresholds: Readonly<Record<T, number>>;
}

export type Reported = Omit<Finding, "check" | "about"> & {
  /** Ids that tell it from others of its check in this step. */
  about: readonly string[];
};

/** A way to put a finding right: a named command, one entry of undo. */
export interface Mend {
  title: string;
  command(context: ProofContext, finding: Finding): SequenceCommand;
}

/** One check. A new one is a file beside this one and a line in `checks.ts`. */
export interface Check<T extends string = string> {
  id: string;
  title: string;
  /** Why it matters, in one sentence. */
  why: string;
  needs: readonly Need[];
  thresholds: Readonly<Record<T, Threshold>>;
  mends: Readonly<Record<string, Mend>>;
  run(context: ProofContext<T>, report: (finding: Reported) => void): void;
}

const UNITS = { length: "mm", angle: "°", plain: "" } as const;

/** The unit of a channel's values. */
export const unitOf = (program: Program, channel: string): "°" | "mm" | "" =>
  UNITS[channelKind(channel, program.preparation.joints)];
