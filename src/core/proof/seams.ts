import { hand, type Move, type Step, targetId } from "../document/sequence";
import { EASE_STRIDE, easeSpeedAt } from "../ease/ease";
import { closeCycle, cycleChannels, periodsOf, wholeRepeats } from "../edit/timing/cycles";
import { nth } from "../math/packed";
import { actsOn, cycleOf, isOn, periodOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
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
    if (!own?.beyond || own.repeat || !isOn(step, move)) continue;
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

/** A repeat that stands for a frame or two at its seam while it is in motion: the first frame shows twice. */
function doubled(step: Step, context: ProofContext, from: number, report: (r: Reported) => void): void {
  const { program } = context;
  const frame = ticksPerFrame(program.sequence.rate);
  for (const move of Object.values(step.moves)) {
    if (!move.repeat || !isOn(step, move)) continue;
    const once = cycleOf(move, program.sequence);
    const stands = periodOf(move, once) - (once.t1 - once.t0);
    if (stands <= 0 || stands > 2.5 * frame) continue;
    for (const target of actsOn(move, program.sequence)) {
      for (const r of program.placed.get(targetId(target)) ?? []) {
        if (r.step !== step.id || r.move !== move.id || r.t1 !== once.t1 || r.t1 <= r.t0) continue;
        // Soft at its end it stands anyway.
        const speed = Math.abs(easeSpeedAt(program.easeTable, r.ease * EASE_STRIDE, 1));
        if (speed < 0.05 || nth(r.to, 0) === nth(r.from, 0)) continue;
        report({
          ...{ severity: "wrong", what: "doubled", step: step.id, targets: [target], channel: r.channel },
          ...{ from: from + once.t1, to: from + once.t1 + stands, mends: ["no-stand"], about: [move.id] },
          numbers: { frames: { value: Math.round((stands / frame) * 100) / 100, unit: "frames" } },
        });
        break;
      }
    }
  }
}

/** Cycles of one step whose lengths differ so that they do not meet again for as long as they run. */
function outOfStep(
  step: Step,
  { program }: ProofContext,
  from: number,
  to: number,
  report: (r: Reported) => void,
): void {
  const cycles = periodsOf(program.sequence, step.id).filter((c) => c.period > 0 && isOn(step, c.move));
  const known = new Set<string>();
  for (const [i, a] of cycles.entries()) {
    for (const b of cycles.slice(i + 1)) {
      const name = `${a.move.id} ${b.move.id}`;
      if (a.move === b.move || known.has(name)) continue;
      known.add(name);
      if (Math.abs(a.period - b.period) < 1) continue;
      const together = Math.min(runs(a.move, a.period), runs(b.move, b.period));
      // Once the shorter has come round as often as makes a whole number of the longer, all is as it was.
      const whole = wholeRepeats([a.period, b.period]);
      if (whole !== null && whole <= together) continue;
      const [first, second] = [a, b].map(({ period }) => ({ value: period / TICKS_PER_SECOND, unit: "s" as const }));
      report({
        ...{ severity: "look", what: "apart", step: step.id, from, to, mends: [], about: [name] },
        targets: [...actsOn(a.move, program.sequence), ...actsOn(b.move, program.sequence)].slice(0, 2),
        numbers: {
          ...(first && second ? { first, second } : {}),
          ...(whole === null ? {} : { meet: { value: whole / TICKS_PER_SECOND, unit: "s" as const } }),
        },
      });
    }
  }

  function runs(move: Move, period: number): number {
    return move.repeat?.times ? move.repeat.times * period : Number.POSITIVE_INFINITY;
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
    "no-stand": {
      title: "Leave the doubled frame out",
      command: (_, f) => (draft) => {
        const move = draft.steps[f.step]?.moves[f.about.split(" ")[1] ?? ""];
        if (!move?.repeat) throw new Refusal("gone", { what: "move" });
        move.repeat.period = null;
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
  watch(context, report) {
    const { program, step, action, still } = context;
    const { id } = step;
    stopped(step, (r) => report({ ...r, from: action, to: still }));
    doubled(step, context, action, report);
    outOfStep(step, context, action, still, report);
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
    return null;
  },
};
