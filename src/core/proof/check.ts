import type { Step, Target } from "../document/sequence";
import type { SequenceCommand } from "../edit/sequenceCommands";
import { channelKind } from "../kinematics/channelKind";
import type { Triple } from "../math/triple";
import type { Placed } from "../program/layout";
import type { Program } from "../program/program";
import type { Pose } from "../program/sampling";
import type { Shapes } from "./shapes";

/** How bad a finding is: a mistake, or something that may be meant and should be looked at. */
export type Severity = "wrong" | "look";

export interface Quantity {
  value: number;
  unit: "s" | "°" | "mm" | "" | "°/s" | "mm/s" | "1/s" | "%" | "px" | "frames" | "widths/s" | "% of the width";
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
  /** A name for what it is about, where that is nothing that moves. */
  named?: string;
  numbers: Readonly<Record<string, Quantity>>;
  /** The moment at which it is worst, ticks in the sequence, where there is one. */
  at?: number;
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

/** What a check looks at beside the documents. */
export type Need = "program" | "poses" | "picture" | "meshes";

export interface ProofContext<T extends string = string> {
  program: Program;
  thresholds: Readonly<Record<T, number>>;
  /** The meshes with what is worked out from them; null where they are not to be had. */
  shapes?: Shapes | null;
  /**
   * Something that follows from a step alone and how things stand when it begins: made anew only when that changed.
   * @param what names it @param position of the step
   */
  recall?<V>(what: string, position: number, make: () => V): V;
}

/** A step as it is looked through frame by frame. Ticks of the sequence. */
export interface StepContext<T extends string = string> extends ProofContext<T> {
  step: Step;
  position: number;
  /** Length of a frame. */
  frame: number;
  start: number;
  action: number;
  still: number;
  end: number;
}

/** Looks through one step. What it keeps of a pose it must copy: the buffer is used again. */
export interface Watcher {
  /** The frame before the step's first, where there is one: for what changes from frame to frame. */
  before?(at: Pose, ticks: number): void;
  /** A frame of the step, and the one before it as it was posed: null at the sequence's first. */
  frame?(at: Pose, ticks: number, was: Pose | null): void;
  /** After the last frame; may take long and yields now and then, so that it can be stopped. */
  end?(): Generator<void> | void;
}

export type Reported = Omit<Finding, "check" | "about"> & {
  /** Ids that tell it from others of its check in this step. */
  about: readonly string[];
};
export type Report = (finding: Reported) => void;

/** Something a check could not judge, and would otherwise be silent about. */
export interface Unjudged {
  check: string;
  step: string | null;
  /** Which of the check's sentences it is. */
  what: string;
  targets: readonly Target[];
}
export type Cannot = (what: string, targets?: readonly Target[]) => void;

/** A way to put a finding right: one entry of undo. */
export interface Mend {
  title: string;
  /** A named command. @throws Refusal */
  command?(context: ProofContext, finding: Finding): SequenceCommand;
  /** Or the move whose way is planned again, which takes its time. Null where it is gone. */
  plans?(context: ProofContext, finding: Finding): { step: string; move: string } | null;
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
  /** Looks at the whole sequence at once: for what follows from documents and program alone, which is quick. */
  run?(context: ProofContext<T>, report: Report, cannot: Cannot): void;
  /**
   * Looks at one channel of one thing, its transitions in the order of time. What it finds may depend on nothing but
   * these, what their moves say, and how long each step and its stills are.
   */
  channel?(context: ProofContext<T>, target: Target, channel: string, rows: readonly Placed[], report: Report): void;
  /**
   * Begins to look through one step; what can be told without its frames is told at once. Null where there is nothing to be seen in
   * them. What it finds may depend on nothing but what the step compiles to and how things stand when it begins: that is how long it is remembered.
   */
  watch?(context: StepContext<T>, report: Report, cannot: Cannot): Watcher | null;
}

const UNITS = { length: "mm", angle: "°", plain: "" } as const;

/** The unit of a channel's values. */
export const unitOf = (program: Program, channel: string): "°" | "mm" | "" =>
  UNITS[channelKind(channel, program.preparation.joints)];
