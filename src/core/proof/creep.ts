import { hand } from "../document/sequence";
import { nth } from "../math/packed";
import { isOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND } from "../time/time";
import { rise, spanIn } from "./channels";
import { type Check, unitOf } from "./check";

/** What moves too slowly to be meant, and what runs on into a still. */
export const creep: Check<"way" | "angle" | "long"> = {
  id: "creep",
  title: "Creeps where it should stand",
  why: "A part that drifts by a hair through a still makes the whole picture restless.",
  needs: ["program"],
  thresholds: {
    way: { label: "Goes less than", unit: "mm", min: 0.001, max: 10, usual: 0.5 },
    angle: { label: "Turns less than", unit: "°", min: 0.001, max: 10, usual: 0.5 },
    long: { label: "In at least", unit: "s", min: 0.1, max: 60, usual: 0.5 },
  },
  mends: {
    stand: {
      title: "Let it stand",
      command: (_, f) => (draft) => {
        const [what, move, key] = f.about.split(" ");
        const own = hand(draft.steps[f.step]?.moves[move ?? ""]);
        if (!own || f.channel === undefined) throw new Refusal("gone", { what: "move" });
        if (what === "runs-on") {
          own.beyond = {
            ...own.beyond,
            [f.channel]: { before: own.beyond?.[f.channel]?.before ?? "hold", after: "hold" },
          };
          return;
        }
        const it = own.keys[key ?? ""];
        if (!it) throw new Refusal("gone", { what: "arrival" });
        it.values[f.channel] = f.numbers.from?.value ?? 0;
      },
    },
  },
  channel({ program, thresholds }, target, channel, rows, report) {
    const unit = unitOf(program, channel);
    const speed = unit === "mm" ? ("mm/s" as const) : ("°/s" as const);
    for (const r of rows) {
      if (r.t1 <= r.t0 || unit === "") continue;
      const step = program.sequence.steps[r.step];
      const move = step?.moves[r.move];
      if (!step || !move || !isOn(step, move)) continue;
      const [from, to] = spanIn(program, r);
      const takes = (r.t1 - r.t0) / TICKS_PER_SECOND;
      const way = Math.abs(rise(r));
      const least = unit === "mm" ? thresholds.way : thresholds.angle;
      const byHand = r.key !== "";
      const base = { step: r.step, targets: [target], channel };
      if (byHand && way > 1e-9 && way < least && takes >= thresholds.long && !r.continues)
        report({
          ...base,
          ...{ severity: "look", what: "creeps", from, to, mends: ["stand"], about: [r.move, r.key, channel] },
          numbers: {
            from: { value: nth(r.from, 0), unit },
            to: { value: nth(r.to, 0), unit },
            takes: { value: takes, unit: "s" },
          },
        });
      // A cycle for good is meant to go on; straight on is left behind by who forgot to stop it.
      if (r.after === "straight" && rise(r) !== 0) {
        const still = nth(program.steps.still, r.position);
        const end = nth(program.steps.end, r.position);
        if (end > still)
          report({
            ...base,
            ...{ severity: "look", what: "runs-on", from: still, to: end, mends: byHand ? ["stand"] : [] },
            numbers: {
              speed: { value: Math.abs(rise(r)) / takes, unit: speed },
              still: { value: (end - still) / TICKS_PER_SECOND, unit: "s" },
            },
            about: [r.move, channel],
          });
      }
    }
  },
};
