import type { Sequence } from "../../document/sequence";
import { type FrameRate, snapToFrame, ticksPerFrame } from "../../time/time";
import type { SequenceCommand } from "../sequenceCommands";
import { itemsOf, keyOfItem, moveOfItem, type TimeItem } from "./items";

/** Something that lies between two frames. */
export interface BetweenFrames {
  item: TimeItem;
  /** Ticks in its action, and the nearest frame's. */
  at: number;
  to: number;
}

const isOff = (t: number, rate: FrameRate): boolean => Math.abs(t - snapToFrame(t, rate)) > 1;

/**
 * Arrivals and starts or ends of moves that lie between frames. Times count from the action's start, which stills on
 * whole frames leave on a frame.
 */
export function betweenFrames(sequence: Sequence): BetweenFrames[] {
  const out: BetweenFrames[] = [];
  for (const item of itemsOf(sequence)) {
    const move = moveOfItem(sequence, item);
    const times =
      item.key === undefined
        ? move.kind === "hand"
          ? []
          : [move.start, move.start + move.length]
        : [keyOfItem(sequence, item).at];
    const at = times.find((t) => isOff(t, sequence.rate));
    if (at !== undefined) out.push({ item, at, to: snapToFrame(at, sequence.rate) });
  }
  return out;
}

/** Stills that are not a whole number of frames, by step. */
export const stillsBetweenFrames = (sequence: Sequence): string[] =>
  sequence.stepOrder.filter((id) => {
    const s = sequence.steps[id];
    return s !== undefined && (isOff(s.stillBefore, sequence.rate) || isOff(s.stillAfter, sequence.rate));
  });

/** Puts all of that on the nearest frames. */
export function snapAll(): SequenceCommand {
  return (draft) => {
    const { rate } = draft;
    for (const step of Object.values(draft.steps)) {
      step.stillBefore = snapToFrame(step.stillBefore, rate);
      step.stillAfter = snapToFrame(step.stillAfter, rate);
      step.action = Math.ceil(step.action / ticksPerFrame(rate) - 1e-6) * ticksPerFrame(rate);
    }
    for (const { item } of betweenFrames(draft)) {
      const move = moveOfItem(draft, item);
      if (item.key !== undefined) {
        const key = keyOfItem(draft, item);
        const start = key.lead === "previous" ? 0 : key.at - key.lead;
        key.at = snapToFrame(key.at, rate);
        if (key.lead !== "previous") key.lead = Math.max(0, key.at - snapToFrame(start, rate));
      } else if (move.kind !== "hand") {
        const end = snapToFrame(move.start + move.length, rate);
        move.start = snapToFrame(move.start, rate);
        move.length = Math.max(0, end - move.start);
      }
    }
  };
}
