import type { Beyond } from "../document/keys";
import type { PartTarget } from "../document/parts";
import type { Joint, Link, TurnAxis } from "../document/preparation";
import type { Ease } from "../ease/ease";
import type { LinkFunction } from "../kinematics/linkFunction";
import type { ReadonlyTriple } from "../math/triple";

/*
 * What a compiled sequence is made of, and where the channels of a part lie:
 *
 *   first + 0 1 2   slide x y z, mm            first + 6   opacity
 *         + 3 4 5   size x y z, 1 = home             + 7   tint       + 9  number of its colour
 *         + 10 ..   turn about each axis, deg        + 8   visible
 */

/** Something the compiler had to change or wants known. Wording is made in the interface. */
export interface Report {
  code:
    | "lead-shortened"
    | "arrival-hidden"
    | "target-gone"
    | "joint-gone"
    | "linked"
    | "beyond-limit"
    | "clash"
    | "nothing-to-reverse";
  step: string;
  move: string;
  key: string;
  /** Channel name; "" where all are meant. */
  channel: string;
  askedTicks: number;
  usedTicks: number;
  /** The other move of a clash, and whether it takes the channel over. */
  other?: string;
  lost?: boolean;
}

/** One transition of a channel where it lies: what the tables are made from. */
export interface Placed {
  step: string;
  move: string;
  /** The arrival of a hand-keyed move; "" for any other. */
  key: string;
  channel: string;
  /** Position of the step in the order of those that are on. */
  position: number;
  /** Ticks in the step's action. */
  t0: number;
  t1: number;
  /** Number of the ease in the program's table, and the ease itself. */
  ease: number;
  shape: Ease;
  from: readonly number[];
  to: readonly number[];
  companion: boolean;
  /** Whether it is the second half of one transition that comes back to where it began. */
  continues: boolean;
  /** How the channel goes on after this transition, and before it; absent where it holds. */
  after?: Beyond;
  before?: Beyond;
  /** The cycle that is gone on with, ticks in the step's action. */
  span?: readonly [number, number];
}

/**
 * A joint as the program moves it. Point (mm) and direction are in the parent's home frame; a group's in the
 * assembly's.
 */
export interface JointTracks {
  joint: Joint;
  channel: number;
  sense: 1 | -1;
  point: ReadonlyTriple;
  direction: ReadonlyTriple;
  /** The link that drives it, or null. */
  driver: LinkTracks | null;
}

/** A link as the program works it out. */
export interface LinkTracks {
  link: Link;
  driver: JointTracks;
  follower: JointTracks;
  map: LinkFunction;
  /** Number of the solver matrix of the piece between, or -1. */
  solver: number;
}

/** Where the channels of one moving node or group live. -1: none. */
export interface NodeTracks {
  /** -1 for a group. */
  node: number;
  target: PartTarget;
  joints: readonly JointTracks[];
  /** Solver matrix that carries it as the middle piece of a linkage; -1: none. */
  solver: number;
  /** The joint that drives the linkage it is the middle piece of. */
  driverOfPiece: JointTracks | null;
  axes: readonly TurnAxis[];
  /** First of the three slide channels; three sizes, opacity, tint and visible follow, then one turn per axis. */
  first: number;
  orientation: number;
  pivot: ReadonlyTriple;
  /** Channel number by name. */
  channels: ReadonlyMap<string, number>;
}

/** One change of one channel: from a value to another, between two times of a step's action. */
export interface Transition {
  channel: string;
  /** Position of the step in the order of those that are on. */
  step: number;
  t0: number;
  t1: number;
  ease: number;
  from: number[];
  to: number[];
}

export interface CameraTracks {
  /** Eight channels in the order of CAMERA_CHANNELS. */
  first: number;
}

export const SLIDE = 0;
export const SIZE = 3;
export const OPACITY = 6;
export const TINT = 7;
export const VISIBLE = 8;
export const TINT_COLOUR = 9;
export const TURN = 10;

/** Where each step lies, by position in the order of the steps that are on. All ticks. */
export interface StepTable {
  ids: string[];
  /** Position by id; steps that are off have none. */
  position: Map<string, number>;
  start: Float64Array;
  /** Start of the action: the end of the still before. */
  action: Float64Array;
  /** End of the action: the start of the still after. */
  still: Float64Array;
  end: Float64Array;
  length: number;
}

export function emptySteps(): StepTable {
  const none = new Float64Array(0);
  return { ids: [], position: new Map(), start: none, action: none, still: none, end: none, length: 0 };
}

/** Position of the step that holds a time (the last one from its start on; before all, the first; -1 for none). */
export function stepAt({ start }: Pick<StepTable, "start">, ticks: number): number {
  let lo = 0;
  let hi = start.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if ((start[mid] as number) <= ticks) lo = mid + 1;
    else hi = mid;
  }
  return Math.max(0, lo - 1) - (start.length === 0 ? 1 : 0);
}
