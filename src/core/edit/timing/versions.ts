import { hand, type Sequence, type StepTiming, type TimingVersion } from "../../document/sequence";
import { actionLength, stepLength } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { freshId } from "../id";
import { plainCopy, type SequenceCommand } from "../sequenceCommands";
import { itemSpan } from "./items";

/** What of a step is its timing: when, and what moves how. */
const timingOf = (sequence: Sequence, id: string): StepTiming => {
  const step = sequence.steps[id];
  if (!step) throw new Refusal("gone", { what: "step" });
  const { stillBefore, action, stillAfter, moves, folders } = step;
  return plainCopy({ stillBefore, action, stillAfter, moves, folders });
};

/** Keeps the present timing of steps under a name. */
export function keepTiming(sequence: Sequence, id: string, name: string, steps: readonly string[]): SequenceCommand {
  const version: TimingVersion = {
    id,
    name: name.trim().slice(0, 200) || "Timing",
    steps: Object.fromEntries(steps.map((s) => [s, timingOf(sequence, s)])),
  };
  return (draft) => {
    draft.timings[id] = version;
  };
}

/** A sequence as a timing version has it. Steps that are gone since stay gone. */
export function withTiming(sequence: Sequence, id: string): Sequence {
  const version = sequence.timings[id];
  if (!version) throw new Refusal("gone", { what: "timing version" });
  const steps = { ...sequence.steps };
  for (const [step, timing] of Object.entries(version.steps)) {
    const now = steps[step];
    if (now) steps[step] = { ...now, ...timing };
  }
  return { ...sequence, steps };
}

/**
 * Puts a timing version in the place of the present one. With `keepAs` the present one is kept under that name, else
 * it is gone.
 */
export function chooseTiming(id: string, keepAs: string | null): SequenceCommand {
  return (draft) => {
    const version = draft.timings[id];
    if (!version) throw new Refusal("gone", { what: "timing version" });
    const present =
      keepAs === null ? null : { id: freshId(), name: keepAs.slice(0, 200), steps: {} as Record<string, StepTiming> };
    for (const [step, timing] of Object.entries(version.steps)) {
      const now = draft.steps[step];
      if (!now) continue;
      if (present) present.steps[step] = timingOf(draft, step);
      Object.assign(now, plainCopy(timing));
    }
    if (present) draft.timings[present.id] = present;
    delete draft.timings[id];
  };
}

/**
 * A change worked out for the sequence as it is and, apart, as each timing version has it: for changes of what is
 * moved (an axis, a pivot) that every timing must follow. `made` must give commands that change steps only, and only
 * those that they find.
 */
export function inEveryTiming(sequence: Sequence, made: (as: Sequence) => SequenceCommand): SequenceCommand {
  const now = made(sequence);
  const kept = Object.keys(sequence.timings).map((id) => ({ id, command: made(withTiming(sequence, id)) }));
  return (draft) => {
    now(draft);
    for (const { id, command } of kept) {
      const version = draft.timings[id];
      // What such a command looks at of a step is what a timing version keeps of it.
      if (version) command({ ...draft, steps: version.steps as Sequence["steps"] });
    }
  };
}

/** Removes a timing version, or renames it. */
export const removeTiming =
  (id: string): SequenceCommand =>
  (draft) => {
    delete draft.timings[id];
  };
export const renameTiming =
  (id: string, name: string): SequenceCommand =>
  (draft) => {
    const version = draft.timings[id];
    if (!version) throw new Refusal("gone", { what: "timing version" });
    if (name.trim() === "") throw new Refusal("name-needed", { what: "timing version" });
    version.name = name.trim().slice(0, 200);
  };

/** One thing that two timings have differently. Times in ticks; null where one of them lacks it. */
export interface TimingDifference {
  step: string;
  what: "step" | "still before" | "still after" | "move" | "arrival" | "ease";
  /** Name of the move; "" for the step itself. */
  name: string;
  /** Start and end, in the step's action; lengths for the step's own. */
  now: { t0: number; t1: number } | null;
  was: { t0: number; t1: number } | null;
}

/** What differs between two sequences of the same steps, in numbers; in the order of steps and time. */
export function timingDifferences(now: Sequence, then: Sequence): TimingDifference[] {
  const out: TimingDifference[] = [];
  for (const id of now.stepOrder) {
    const [a, b] = [now.steps[id], then.steps[id]];
    if (!a || !b || a === b) continue;
    const length = (what: TimingDifference["what"], x: number, y: number) => {
      if (x !== y) out.push({ step: id, what, name: "", now: { t0: 0, t1: x }, was: { t0: 0, t1: y } });
    };
    length("still before", a.stillBefore, b.stillBefore);
    const moves: TimingDifference[] = [];
    for (const move of new Set([...Object.keys(a.moves), ...Object.keys(b.moves)])) {
      const [m, n] = [a.moves[move], b.moves[move]];
      const name = (m ?? n)?.name ?? "";
      const keys = new Set([...Object.keys(hand(m)?.keys ?? {}), ...Object.keys(hand(n)?.keys ?? {})]);
      if (keys.size === 0) {
        const [x, y] = [m ? itemSpan(now, { step: id, move }) : null, n ? itemSpan(then, { step: id, move }) : null];
        if (x?.t0 !== y?.t0 || x?.t1 !== y?.t1) moves.push({ step: id, what: "move", name, now: x, was: y });
        else if (m && n && m.kind !== "hand" && n.kind !== "hand" && JSON.stringify(m.ease) !== JSON.stringify(n.ease))
          moves.push({ step: id, what: "ease", name, now: x, was: y });
        continue;
      }
      // How often it acts, and how it goes on, are the whole move's.
      if (JSON.stringify([m?.repeat, hand(m)?.beyond]) !== JSON.stringify([n?.repeat, hand(n)?.beyond])) {
        moves.push({
          step: id,
          what: "move",
          name,
          now: m ? itemSpan(now, { step: id, move }) : null,
          was: n ? itemSpan(then, { step: id, move }) : null,
        });
      }
      for (const key of keys) {
        const [p, q] = [hand(m)?.keys[key], hand(n)?.keys[key]];
        const [x, y] = [
          p ? itemSpan(now, { step: id, move, key }) : null,
          q ? itemSpan(then, { step: id, move, key }) : null,
        ];
        if (x?.t0 !== y?.t0 || x?.t1 !== y?.t1) moves.push({ step: id, what: "arrival", name, now: x, was: y });
        else if (JSON.stringify([p?.ease, p?.shapes, p?.values]) !== JSON.stringify([q?.ease, q?.shapes, q?.values]))
          moves.push({ step: id, what: "ease", name, now: x, was: y });
      }
    }
    const begin = (d: TimingDifference) => (d.now ?? d.was)?.t1 ?? 0;
    out.push(...moves.sort((p, q) => begin(p) - begin(q)));
    length("still after", a.stillAfter, b.stillAfter);
    if (stepLength(a, now) !== stepLength(b, then) && actionLength(a, now) !== actionLength(b, then))
      length("step", stepLength(a, now), stepLength(b, then));
  }
  return out;
}
