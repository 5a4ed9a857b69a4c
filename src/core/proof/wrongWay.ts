import { hand } from "../document/sequence";
import { setShape } from "../edit/curves/edit";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { isOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { excursion, rise, spanIn } from "./channels";
import { type Check, unitOf } from "./check";

/** What an arrival's channel is there by: its own handles, which may send it astray without anybody asking for it. */
function byHandles(program: Parameters<typeof spanIn>[0], r: Placed): boolean {
  const step = program.sequence.steps[r.step];
  const move = hand(step?.moves[r.move]);
  return (
    step !== undefined &&
    move !== undefined &&
    isOn(step, move) &&
    move.keys[r.key]?.shapes?.[r.channel]?.kind === "handles"
  );
}

/**
 * Transitions that leave the interval of their two values. An ease drawn to overshoot, and the shape that is free to,
 * were chosen for it; handles pulled for the sake of a neighbour were not.
 */
export const wrongWay: Check<"least"> = {
  id: "wrong-way",
  title: "Goes the wrong way between two arrivals",
  why: "A part that backs away before it sets off looks broken.",
  needs: ["program"],
  thresholds: {
    least: { label: "Leaves its way by at least", unit: "%", min: 0.5, max: 50, usual: 4 },
  },
  mends: {
    within: {
      title: "Never overshooting",
      command: (_, f) => (draft) => {
        const [, move, key] = f.about.split(" ");
        const it = hand(draft.steps[f.step]?.moves[move ?? ""])?.keys[key ?? ""];
        if (!it || f.channel === undefined) throw new Refusal("gone", { what: "arrival" });
        setShape(it, f.channel, { kind: "smooth" });
      },
    },
  },
  channel({ program, thresholds }, target, channel, rows, report) {
    if (channel === "orientation" || channel === "visible" || channel === "tint-colour") return;
    rows.forEach((row, i) => {
      if (row.t1 <= row.t0 || row.key === "" || !byHandles(program, row)) return;
      const before = rows[i - 1];
      const unit = unitOf(program, channel);
      const [from, to] = spanIn(program, row);
      const base = {
        step: row.step,
        targets: [target],
        channel,
        mends: ["within"],
        about: [row.move, row.key, channel],
      };
      // Between two equal arrivals it goes off and comes back: the compiler makes two transitions of that.
      if (row.continues && before && before.key === row.key) {
        const away = rise(before);
        if (Math.abs(rise(row) + away) > 1e-6 * Math.abs(away)) return;
        report({
          ...base,
          ...{ severity: "look", what: "wanders", from: spanIn(program, before)[0], to },
          numbers: { at: { value: nth(row.to, 0), unit }, off: { value: away, unit } },
        });
        return;
      }
      const { below, beyond } = excursion(program, row);
      const least = thresholds.least / 100;
      const way = rise(row);
      if (Math.max(below, beyond) < least || way === 0) return;
      const back = below >= beyond;
      report({
        ...base,
        // Off the wrong way at the start is a mistake; past the arrival it may be meant for a bounce.
        ...{ severity: back ? "wrong" : "look", what: back ? "backs" : "passes", from, to },
        numbers: {
          from: { value: nth(row.from, 0), unit },
          to: { value: nth(row.to, 0), unit },
          off: { value: Math.abs(way) * Math.max(below, beyond), unit },
        },
      });
    });
  },
};
