import { retimed } from "../edit/timing/items";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { isOn, spanOf } from "../program/spans";
import { placedSounds } from "../sound/schedule";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND } from "../time/time";
import { rise, spanIn } from "./channels";
import type { Check } from "./check";
import { readingTime } from "./reading";

/** Stretches in which nothing happens for too long, and motion that sets in too soon after a cut. */
export const idle: Check<"long" | "soon"> = {
  id: "idle",
  title: "Nothing happens, or too soon after a cut",
  why: "Whoever waits looks away; whoever has just been moved needs a moment to see where.",
  needs: ["program"],
  thresholds: {
    long: { label: "Nothing for at least", unit: "s", min: 0.5, max: 120, usual: 5 },
    soon: { label: "After a cut at least", unit: "s", min: 0, max: 5, usual: 0.4 },
  },
  mends: {
    shorten: {
      title: "Shorten the stills",
      command:
        ({ program }, f) =>
        (draft) => {
          const step = draft.steps[f.step];
          if (!step) return;
          const before = step.action + step.stillAfter + step.stillBefore;
          // What is too much goes out of the stills and of the action's empty end, as far as they reach.
          let over = Math.round(((f.numbers.lasts?.value ?? 0) - (f.numbers.allowed?.value ?? 0)) * TICKS_PER_SECOND);
          const needs = Math.max(
            0,
            ...Object.values(step.moves).flatMap((m) => (isOn(step, m) ? [spanOf(m, program.sequence).t1] : [])),
          );
          for (const take of [
            () => Math.min(over, Math.max(0, step.action - needs)),
            () => Math.min(over, step.stillAfter),
            () => Math.min(over, step.stillBefore),
          ].entries()) {
            const by = take[1]();
            if (take[0] === 0) step.action -= by;
            else if (take[0] === 1) step.stillAfter -= by;
            else step.stillBefore -= by;
            over -= by;
          }
          // The rest of the stretch lies in other steps, or between what moves.
          if (step.action + step.stillAfter + step.stillBefore === before) throw new Refusal("no-stills");
        },
    },
    wait: {
      title: "Wait for it",
      command: ({ program }, f) => {
        const position = program.steps.position.get(f.step) ?? 0;
        const cut = f.from - nth(program.steps.action, position);
        const short = Math.ceil(((f.numbers.allowed?.value ?? 0) - (f.numbers.after?.value ?? 0)) * TICKS_PER_SECOND);
        const later = Object.values(program.sequence.steps[f.step]?.moves ?? {}).filter(
          (m) => m.kind !== "camera-cut" && spanOf(m, program.sequence).t0 >= cut - 1,
        );
        return (draft) => {
          for (const m of later)
            retimed(
              draft,
              { step: f.step, move: m.id },
              (t) => t + short,
              (l) => l,
            );
        };
      },
    },
  },
  run({ program, thresholds }, report) {
    const { steps, sequence } = program;
    // What begins at one moment counts by what lasts longest.
    const until = new Map<number, number>();
    const cuts: number[] = [];
    for (const [id, rows] of program.placed) {
      if (id === "picture") for (const r of rows) if (r.t1 === r.t0 && rise(r) !== 0) cuts.push(spanIn(program, r)[1]);
      for (const { position, t0, t1, on } of busyIn(rows)) {
        const action = nth(steps.action, position);
        const to = on ? steps.length : action + t1;
        if (to > (until.get(action + t0) ?? 0)) until.set(action + t0, to);
      }
    }
    const acts = [...until].sort((a, b) => a[0] - b[0]);
    const spans = [...acts];
    // A caption that comes up is something to read.
    steps.ids.forEach((id, position) => {
      const start = nth(steps.start, position);
      const reads = readingTime(sequence.steps[id]?.caption ?? "", 2.5);
      if (reads > 0) spans.push([start, Math.min(nth(steps.end, position), start + reads * TICKS_PER_SECOND)]);
    });
    // While somebody speaks there is something to listen to.
    for (const v of placedSounds(sequence, steps)) if (v.sound.role === "voice") spans.push([v.start, v.end]);
    spans.sort((a, b) => a[0] - b[0]);
    const long = thresholds.long * TICKS_PER_SECOND;
    let reached = 0;
    const gap = (from: number, to: number) => {
      if (to - from <= long) return;
      const position = steps.ids.findLastIndex((_, p) => nth(steps.start, p) <= from);
      const step = steps.ids[Math.max(0, position)];
      if (step === undefined) return;
      report({
        ...{ severity: "look", what: "nothing", step, from, to, targets: [], mends: ["shorten"], about: [] },
        numbers: {
          lasts: { value: (to - from) / TICKS_PER_SECOND, unit: "s" },
          allowed: { value: thresholds.long, unit: "s" },
        },
      });
    };
    for (const [from, to] of spans) {
      gap(reached, from);
      reached = Math.max(reached, to);
    }
    gap(reached, steps.length);
    for (const cut of cuts) {
      const next = rowAfter(acts, cut);
      const position = steps.ids.findLastIndex((_, p) => nth(steps.start, p) <= cut);
      const step = steps.ids[position];
      if (next === null || step === undefined || next - cut >= thresholds.soon * TICKS_PER_SECOND - 1) continue;
      // A cut at the very beginning follows nothing.
      if (cut <= 0) continue;
      report({
        ...{ severity: "look", what: "soon", step, from: cut, to: next, targets: [], about: [] },
        numbers: {
          after: { value: (next - cut) / TICKS_PER_SECOND, unit: "s" },
          allowed: { value: thresholds.soon, unit: "s" },
        },
        mends: ["wait"],
      });
    }
  },
};

/** When something of a target moves in a step's action, ticks, or moves on for good. */
interface Busy {
  position: number;
  t0: number;
  t1: number;
  on: boolean;
}
const busy = new WeakMap<readonly Placed[], readonly Busy[]>();

/** When a target moves, its channels taken together, for as long as its rows stay. */
function busyIn(rows: readonly Placed[]): readonly Busy[] {
  const known = busy.get(rows);
  if (known) return known;
  const all: Busy[] = [];
  for (const r of rows) {
    if (r.t1 === r.t0) continue;
    const on = r.after !== undefined && r.after !== "hold";
    const moves = r.channel === "orientation" ? r.from.some((v, k) => v !== r.to[k]) : rise(r) !== 0 || r.continues;
    if (on || moves) all.push({ position: r.position, t0: r.t0, t1: r.t1, on });
  }
  all.sort((a, b) => a.position - b.position || a.t0 - b.t0);
  const out: Busy[] = [];
  for (const b of all) {
    const last = out[out.length - 1];
    // Only what begins at once is taken together: when each thing begins counts after a cut.
    if (last && last.position === b.position && last.t0 === b.t0 && last.on === b.on) last.t1 = Math.max(last.t1, b.t1);
    else out.push(b);
  }
  busy.set(rows, out);
  return out;
}

/** When the next thing begins to move at a cut or after it; what moved all along does not count. */
function rowAfter(spans: readonly [number, number][], cut: number): number | null {
  if (spans.some(([from, to]) => from < cut && to > cut)) return null;
  const next = spans.find(([from]) => from >= cut);
  return next ? next[0] : null;
}
