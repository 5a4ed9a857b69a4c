import type { Target } from "../../core/document/sequence";

/** An arrival by where it is. */
export interface KeyRef {
  step: string;
  move: string;
  key: string;
}

/** A move by where it is. */
export interface MoveRef {
  step: string;
  move: string;
}

/** What the details are of. */
export type Focus =
  | { kind: "step"; id: string }
  | { kind: "move"; ref: MoveRef }
  | { kind: "parts" }
  | { kind: "key"; ref: KeyRef }
  | { kind: "look" }
  | { kind: "camera" }
  | { kind: "sound"; id: string }
  | { kind: "timing" }
  | { kind: "curve" };

/** One channel of one arrival, with what it moves: a point of a curve. */
export interface PointRef extends KeyRef {
  channel: string;
  target: Target;
}
