import { hand, type Step } from "../document/sequence";
import { closeCycle, cycleChannels } from "../edit/timing/cycles";
import { nth } from "../math/packed";
import { cycleOf, isOn, periodOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { type Check, type ProofContext, type Reported, unitOf } from "./check";

/** What repeats the same way: its move, one cycle, and the channels it is looked at for. */
interface Cycle {
  move: string;
  period: number;
  wanted: (channel: string) => boolean;
}

function cyclesOf(step: Step, { program }: ProofContext): Cycle[] {
  const { sequence } = program;
  return Object.values(step.moves)
    .filter((m) => isOn(step, m))
    .flatMap((m): Cycle[] => {
      const once = cycleOf(m, sequence);
      // What adds up goes on from where it ends, and what swings comes back the way it went: neither has a seam.
      if (m.repeat) {
        if (m.repeat.way !== "same") return [];
        return [{ move: m.id, period: periodOf(m, once), wanted: () => true }];
      }
      const beyond = hand(m)?.beyond;
      const goesOn = Object.keys(beyond ?? {}).filter((c) => beyond?.[c]?.after === "repeat");
      return goesOn.length > 0 ? [{ move: m.id, period: once.t1 - once.t0, wanted: (c) => goesOn.includes(c) }] : [];
    });
}

/** Channels of a hand-keyed move that hold after their last arrival while others of it go on. */
function stopped(step: Step, report: (r: Omit<Reported, "from" | "to">) => void): void {
  for (const move of Object.values(step.moves)) {
    const own = hand(move);
    if (!own || own.repeat || !isOn(step, move)) continue;
    const goesOn = (c: string) => (own.beyond?.[c]?.after ?? "hold") !== "hold";
    const changing = new Set(Object.values(own.keys).flatMap((k) => Object.keys(k.values)));
    if (![...changing].some(goesOn)) continue;
    for (const channel of changing) {
      const values = new Set(Object.values(own.keys).flatMap((k) => (channel in k.values ? [k.values[channel]] : [])));
      if (goesOn(channel) || values.size < 2) continue;
      report({
        ...{ severity: "look", what: "stops", step: step.id, targets: [own.target], channel },
        ...{ numbers: {}, mends: ["goes-on"], about: [own.id, channel] },
      });
    }
  }
}

/** What repeats: whether its end meets its beginning, in value and in speed, and whether all of it goes on. */
export const seams: Check = {
  id: "seam",
  title: "Repeats that stutter",
  why: "What jumps or jerks at every round is the first thing a reviewer sees.",
  needs: ["program"],
  thresholds: {},
  mends: {
    close: {
      title: "Close the cycle",
      command: ({ program }, f) => {
        const [, move] = f.about.split(" ");
        const step = program.sequence.steps[f.step];
        const cycle = step && cyclesOf(step, { program, thresholds: {} }).find((c) => c.move === move);
        if (!cycle) throw new Refusal("gone", { what: "move" });
        return closeCycle(
          program,
          [{ step: f.step, move: cycle.move }],
          cycle.period,
          (channel) => channel === f.channel,
        ).command;
      },
    },
    "goes-on": {
      title: "Let it go on too",
      command: (_, f) => (draft) => {
        const [, move] = f.about.split(" ");
        const own = hand(draft.steps[f.step]?.moves[move ?? ""]);
        if (!own || f.channel === undefined) throw new Refusal("gone", { what: "move" });
        const after = Object.values(own.beyond ?? {}).find((b) => b.after !== "hold")?.after ?? "repeat";
        own.beyond = { ...own.beyond, [f.channel]: { before: own.beyond?.[f.channel]?.before ?? "hold", after } };
      },
    },
  },
  run(context, report) {
    const { program } = context;
    program.steps.ids.forEach((id, position) => {
      const step = program.sequence.steps[id];
      if (!step) return;
      const [action, still] = [nth(program.steps.action, position), nth(program.steps.still, position)];
      stopped(step, (r) => report({ ...r, from: action, to: still }));
      for (const cycle of cyclesOf(step, context)) {
        const move = step.moves[cycle.move];
        if (!move || cycle.period <= 0) continue;
        const from = action + cycleOf(move, program.sequence).t0;
        const { channels } = cycleChannels(program, [{ step: id, move: cycle.move }], cycle.period);
        for (const c of channels.filter((ch) => cycle.wanted(ch.channel) && (!ch.value || !ch.speed))) {
          const unit = unitOf(program, c.channel);
          const speed = unit === "" ? "1/s" : (`${unit}/s` as const);
          report({
            severity: c.value ? "look" : "wrong",
            what: c.value ? "jerks" : "jumps",
            ...{ step: id, from, to: from + cycle.period, targets: [c.target], channel: c.channel },
            numbers: c.value
              ? { arrives: { value: c.arrives, unit: speed }, leaves: { value: c.leaves, unit: speed } }
              : { begins: { value: c.begin, unit }, ends: { value: c.end, unit } },
            // A ready-made move has no arrivals that could be moved.
            mends: c.move !== null ? ["close"] : [],
            about: [cycle.move, c.channel],
          });
        }
      }
    });
  },
};
