import type { Step, Target } from "../document/sequence";
import { nth } from "../math/packed";
import { targetFrom } from "../program/compileTarget";
import type { Report as Told } from "../program/layout";
import type { Program } from "../program/program";
import { actsOn, isOn, spanOf } from "../program/spans";
import type { Check, Severity } from "./check";

/** What the compiler tells of, as it is told here; what is left out it says where it is set. */
const TOLD: Partial<Record<Told["code"], { what: string; severity: Severity }>> = {
  "target-gone": { what: "gone", severity: "wrong" },
  "joint-gone": { what: "joint-gone", severity: "wrong" },
  "beyond-limit": { what: "limit", severity: "wrong" },
  clash: { what: "fights", severity: "look" },
  linked: { what: "linked", severity: "wrong" },
  "nothing-to-reverse": { what: "nothing-back", severity: "wrong" },
};

/** Whether a part is hidden in the preparation or locked, with all that it belongs to. */
function state(program: Program, target: Target): "hidden" | "locked" | null {
  if (target.type === "group") return program.preparation.groups[target.id]?.locked ? "locked" : null;
  if (target.type !== "node") return null;
  const node = program.index.indexOf.get(target.key);
  if (node === undefined) return null;
  if (program.hidden[node] && !program.lookHidden.some((l) => !l.hidden[node])) return "hidden";
  for (let i = node; i >= 0; i = nth(program.index.parent, i))
    if (program.preparation.nodes[program.index.assembly.nodes[i]?.key ?? ""]?.locked) return "locked";
  return null;
}

/** Limits passed, links that cannot be, moves that fight, and what they move that is gone, hidden or locked. */
export const faults: Check = {
  id: "fault",
  title: "Moves that cannot be made as they stand",
  why: "What the program had to leave out or hold back is not what was meant.",
  needs: ["program"],
  thresholds: {},
  mends: {
    off: {
      title: "Switch the move off",
      command: (_, f) => (draft) => {
        const move = draft.steps[f.step]?.moves[f.about.split(" ")[1] ?? ""];
        if (move) move.on = false;
      },
    },
  },
  run({ program }, report) {
    const { sequence, steps } = program;
    const base = (step: string, move: string) => {
      const position = steps.position.get(step);
      const it = sequence.steps[step]?.moves[move];
      if (position === undefined || !it || !isOn(sequence.steps[step] as Step, it)) return null;
      const action = nth(steps.action, position);
      const { t0, t1 } = spanOf(it, sequence);
      return { step, from: action + t0, to: action + t1 };
    };
    for (const [id, list] of program.reports) {
      for (const r of list) {
        const told = TOLD[r.code];
        // A clash is told once, by the move that is cut short. Most of what is reported is told elsewhere.
        if (!told || (r.code === "clash" && !r.lost)) continue;
        const target = targetFrom(id);
        const step = r.step || (steps.ids.find((s) => sequence.steps[s]?.moves[r.move]) ?? "");
        const where = base(step, r.move);
        if (!where) continue;
        report({
          ...{ ...told, ...where, numbers: {}, mends: ["off"], about: [r.move, r.channel, id] },
          targets: target.type === "overlay" ? [] : [target],
          ...(r.channel ? { channel: r.channel } : {}),
        });
      }
    }
    linkFaults(program, report);
  },
  watch({ program, step, action }, report) {
    for (const move of Object.values(step.moves)) {
      if (!isOn(step, move)) continue;
      for (const target of actsOn(move, program.sequence)) {
        const is = state(program, target);
        if (!is) continue;
        const { t0, t1 } = spanOf(move, program.sequence);
        report({
          ...{ severity: "look", what: is, step: step.id, from: action + t0, to: action + t1, targets: [target] },
          ...{ numbers: {}, mends: ["off"], about: [move.id, target.type === "node" ? target.key : ""] },
        });
      }
    }
    return null;
  },
};

/** Links that the geometry does not allow, and drivers that go beyond where their linkage can be. */
function linkFaults(program: Program, report: Parameters<typeof faults.run & {}>[1]): void {
  const { steps } = program;
  const first = steps.ids[0];
  if (first === undefined) return;
  for (const id of program.linkFaults.keys()) {
    const link = program.preparation.links[id];
    const joint = link && program.preparation.joints[link.follower];
    report({
      ...{ severity: "wrong", what: "link", step: first, from: 0, to: steps.length, numbers: {}, mends: [] },
      ...{ targets: joint ? [joint.target] : [], about: [id] },
    });
  }
  for (const link of program.links) {
    const reach = link.map.reach?.();
    if (reach?.kind !== "part") continue;
    const { driver } = link;
    const name = `joint.${driver.joint.id}`;
    for (const t of program.transitions(driver.joint.target)) {
      if (t.channel !== name) continue;
      for (const [value, at] of [
        [nth(t.from, 0), t.t0],
        [nth(t.to, 0), t.t1],
      ] as const) {
        const departure = driver.sense * (value - driver.joint.zero);
        if (departure >= reach.from - 1e-6 && departure <= reach.to + 1e-6) continue;
        const step = steps.ids[t.step];
        if (step === undefined) continue;
        const ticks = nth(steps.action, t.step) + at;
        report({
          ...{ severity: "wrong", what: "reach", step, from: ticks, to: ticks, channel: name, mends: [] },
          targets: [driver.joint.target],
          numbers: {
            value: { value, unit: "°" },
            from: { value: driver.joint.zero + driver.sense * reach.from, unit: "°" },
            to: { value: driver.joint.zero + driver.sense * reach.to, unit: "°" },
          },
          about: [link.link.id],
        });
        break;
      }
    }
  }
}
