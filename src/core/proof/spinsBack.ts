import { hand, targetId } from "../document/sequence";
import { arrivalsOf } from "../edit/arrival";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { isOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { rise } from "./channels";
import { type Check, unitOf } from "./check";

/** What is left of a turn without whole ones, -180 to 180 degrees. */
const part = (deg: number) => deg - 360 * Math.round(deg / 360);

/**
 * Turns that were meant to go on and spin back: the value typed is less than the one before, by most of a turn, and
 * the same direction is reached by going on a little the way it went.
 */
export const spinsBack: Check<"least" | "on"> = {
  id: "spins-back",
  title: "Turns that spin back",
  why: "10 typed where 370 was meant turns a part back through nearly a whole turn.",
  needs: ["program"],
  thresholds: {
    least: { label: "Turns back by at least", unit: "°", min: 180, max: 360, usual: 270 },
    on: { label: "Would have gone on by at most", unit: "°", min: 0, max: 180, usual: 90 },
  },
  mends: {
    "carry-on": {
      title: "Carry on turning",
      command: (_, f) => {
        const [, move, key] = f.about.split(" ");
        const by = f.numbers.whole?.value ?? 0;
        return (draft) => {
          const { channel } = f;
          const own = hand(draft.steps[f.step]?.moves[move ?? ""]);
          const first = own?.keys[key ?? ""];
          if (!own || !first || channel === undefined) throw new Refusal("gone", { what: "arrival" });
          const here = draft.stepOrder.indexOf(f.step);
          for (const [n, id] of draft.stepOrder.entries()) {
            if (n < here) continue;
            for (const m of Object.values(draft.steps[id]?.moves ?? {})) {
              const other = hand(m);
              if (!other || targetId(other.target) !== targetId(own.target)) continue;
              for (const k of arrivalsOf(other, channel))
                if (n > here || k.at >= first.at) k.values[channel] = (k.values[channel] as number) + by;
            }
          }
        };
      },
    },
  },
  channel({ program, thresholds }, target, channel, rows, report) {
    if (unitOf(program, channel) !== "°" || channel === "elevation") return;
    let before: Placed | null = null;
    for (const row of rows) {
      // What snaps does not spin: a repeat begins again so.
      if (row.t1 <= row.t0) continue;
      const move = program.sequence.steps[row.step]?.moves[row.move];
      const step = program.sequence.steps[row.step];
      const back = rise(row);
      const was = before;
      if (back !== 0) before = row;
      if (!was || row.key === "" || move?.kind !== "hand" || !step || !isOn(step, move)) continue;
      const went = rise(was);
      if (went * back >= 0 || Math.abs(back) < thresholds.least) continue;
      const on = part(back);
      // On by a little, or by nothing: the same direction, a whole turn undone.
      const carried = on === 0 || (on * went > 0 && Math.abs(on) <= thresholds.on);
      // There and back by the same way is a way back.
      const wayBack = Math.abs(back + went) < 1e-6 && on !== 0;
      if (!carried || wayBack) continue;
      const action = nth(program.steps.action, row.position);
      report({
        severity: on === 0 ? "look" : "wrong",
        what: on === 0 ? "undone" : "back",
        ...{ step: row.step, from: action + row.t0, to: action + row.t1, targets: [target], channel },
        numbers: {
          from: { value: nth(row.from, 0), unit: "°" },
          to: { value: nth(row.to, 0), unit: "°" },
          whole: { value: on - back, unit: "°" },
        },
        mends: ["carry-on"],
        about: [row.move, row.key, channel],
      });
    }
  },
};
