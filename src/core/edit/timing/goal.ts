import type { Sequence, Step } from "../../document/sequence";
import { actionLength, stepLength } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { snapToFrame, ticksPerFrame } from "../../time/time";
import type { SequenceCommand } from "../sequenceCommands";
import { itemsOf, retimed } from "./items";

const stepsOn = (sequence: Sequence): Step[] =>
  sequence.stepOrder.flatMap((id) => (sequence.steps[id]?.on ? [sequence.steps[id] as Step] : []));

/** Length of a sequence, ticks: its steps that are on. */
export const sequenceLength = (sequence: Sequence): number =>
  stepsOn(sequence).reduce((sum, s) => sum + stepLength(s, sequence), 0);

/** Sets the length that the whole is meant to have, ticks; null for none. */
export function setGoal(goal: number | null): SequenceCommand {
  return (draft) => {
    if (goal !== null && !(goal >= ticksPerFrame(draft.rate))) throw new Refusal("goal-frame");
    draft.goal = goal === null ? null : Math.round(goal);
  };
}

/** What fitting would do: the factors on stills and on moves. */
export interface Fit {
  stills: number;
  moves: number;
}

/** How a sequence gets to a length: its stills first, in proportion, and moves only for what stills cannot give. */
export function fitFor(sequence: Sequence, goal: number): Fit {
  const steps = stepsOn(sequence);
  const stills = steps.reduce((sum, s) => sum + s.stillBefore + s.stillAfter, 0);
  const moves = steps.reduce((sum, s) => sum + actionLength(s, sequence), 0);
  if (stills + moves === 0) throw new Refusal("no-length");
  const left = goal - moves;
  if (stills > 0 && left >= 0) return { stills: left / stills, moves: 1 };
  return { stills: 0, moves: goal / Math.max(1, moves) };
}

/**
 * Fits a sequence to a length: stills first, then moves, each in proportion. Stills land on whole frames, and the
 * whole has the length asked for to the tick.
 * @param goal ticks @throws Refusal where there is nothing to fit
 */
export function fitTo(sequence: Sequence, goal: number): SequenceCommand {
  const fit = fitFor(sequence, goal);
  return (draft) => {
    const steps = stepsOn(draft);
    if (fit.moves !== 1) scaleActions(draft, steps, fit.moves);
    // Rounding is carried along, so that it never adds up; the last still takes what is left.
    const rest = goal - steps.reduce((sum, s) => sum + actionLength(s, draft), 0);
    let asked = 0;
    let given = 0;
    const stills = steps.flatMap((s) => [[s, "stillBefore"] as const, [s, "stillAfter"] as const]);
    for (const [s, which] of stills) {
      asked += s[which] * fit.stills;
      const next = Math.max(0, Math.min(rest, snapToFrame(asked, draft.rate)) - given);
      s[which] = next;
      given += next;
    }
    const last = steps[steps.length - 1];
    if (last) last.stillAfter = Math.max(0, last.stillAfter + rest - given);
  };
}

/** Scales what happens in steps' actions, to a total that is exact to the tick. */
function scaleActions(draft: Sequence, steps: readonly Step[], factor: number): void {
  const total = steps.reduce((sum, s) => sum + actionLength(s, draft), 0);
  const wanted = Math.round(total * factor);
  let done = 0;
  let exact = 0;
  for (const step of steps) {
    const length = actionLength(step, draft);
    exact += length * factor;
    const own = Math.max(0, Math.min(wanted, Math.round(exact)) - done);
    done += own;
    const k = length > 0 ? own / length : 1;
    for (const item of itemsOf(draft, (id) => id === step.id))
      retimed(
        draft,
        item,
        (t) => Math.min(own, t * k),
        (l) => Math.floor(l * k),
      );
    for (const marker of Object.values(draft.markers))
      if (marker.step === step.id) marker.at = Math.round(marker.at * k);
    for (const sound of Object.values(draft.sounds ?? {}))
      if (sound.step === step.id) sound.at = Math.round(sound.at * k);
    step.action = own;
  }
}
