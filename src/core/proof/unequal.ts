import { hand, type Move, type Step, type Target, targetId } from "../document/sequence";
import { retimed } from "../edit/timing/items";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import type { Program } from "../program/program";
import { isOn, spanOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import { rise, spanIn } from "./channels";
import { type Check, unitOf } from "./check";

const middle = (list: readonly number[]): number =>
  nth(
    [...list].sort((a, b) => a - b),
    Math.floor((list.length - 1) / 2),
  );
const seconds = (ticks: number) => ({ value: ticks / TICKS_PER_SECOND, unit: "s" as const });

/** Runs of swings of one size, there and back, in one move of a step. */
function swings(rows: readonly Placed[]): Placed[][] {
  const out: Placed[][] = [];
  let run: Placed[] = [];
  const close = () => {
    if (run.length >= 3) out.push(run);
    run = [];
  };
  for (const r of rows) {
    if (r.t1 <= r.t0 || r.key === "") {
      close();
      continue;
    }
    const last = run[run.length - 1];
    const goesOn =
      last &&
      last.move === r.move &&
      last.step === r.step &&
      rise(r) * rise(last) < 0 &&
      Math.abs(Math.abs(rise(r)) - Math.abs(rise(last))) <= 0.01 * Math.abs(rise(last)) &&
      // A swing that follows at once: with a rest between it is an act of its own.
      r.t0 - last.t1 <= last.t1 - last.t0;
    if (!goesOn) close();
    if (rise(r) !== 0) run.push(r);
  }
  close();
  return out;
}

/** Moves of a step that are one pattern: of one kind or channel, on parts of one shape, each on one of its own. */
function patterns(program: Program, step: Step): { move: Move; target: Target; t0: number; t1: number }[][] {
  const moves = Object.values(step.moves);
  // Fewer make no pattern.
  if (moves.length < 4) return [];
  const groups = new Map<string, { move: Move; target: Target; t0: number; t1: number }[]>();
  const taken = new Set<string>();
  for (const move of moves) {
    if (!isOn(step, move)) continue;
    const target = move.kind === "hand" ? move.target : move.targets.length === 1 ? move.targets[0] : undefined;
    if (target?.type !== "node") continue;
    const node = program.index.indexOf.get(target.key);
    const geometry = node === undefined ? -1 : (program.index.assembly.nodes[node]?.geometry ?? -1);
    if (geometry < 0) continue;
    const channels = hand(move) ? Object.keys(Object.values(hand(move)?.keys ?? {})[0]?.values ?? {}).join() : "";
    const { t0, t1 } = spanOf(move, program.sequence);
    const name = `${move.kind} ${geometry} ${channels}`;
    const list = groups.get(name) ?? [];
    const own = `${name} ${targetId(target)}`;
    if (!taken.has(own)) list.push({ move, target, t0, t1 });
    taken.add(own);
    groups.set(name, list);
  }
  return [...groups.values()].filter((g) => g.length >= 4).map((g) => g.sort((a, b) => a.t0 - b.t0));
}

/** Whether something takes another time than usual: by a frame at least, and by so many percent. */
const oddIn = (program: Program, least: number) => {
  const frame = ticksPerFrame(program.sequence.rate);
  return (took: number, usual: number) => Math.abs(took - usual) > Math.max(frame * 1.001, (usual * least) / 100);
};

/** Swings of one size that take unequal times, and parts of one pattern that set off at unequal intervals. */
export const unequal: Check<"least"> = {
  id: "unequal",
  title: "Equal swings and patterns that are not even",
  why: "The eye counts along: one beat out of step is seen at once.",
  needs: ["program"],
  thresholds: { least: { label: "Out of step by at least", unit: "%", min: 1, max: 100, usual: 8 } },
  mends: {
    equal: {
      title: "Make them equal",
      command: ({ program }, f) => {
        const [what, move, ...rest] = f.about.split(" ");
        const each = (f.numbers.usual?.value ?? 0) * TICKS_PER_SECOND;
        return (draft) => {
          const step = draft.steps[f.step];
          if (!step || !(each > 0)) throw new Refusal("gone", { what: "step" });
          if (what === "swings") {
            const it = hand(step.moves[move ?? ""]);
            const key = it?.keys[rest[0] ?? ""];
            if (!it || !key) throw new Refusal("gone", { what: "arrival" });
            const later = Object.values(it.keys).filter((k) => k.at >= key.at);
            const took = (f.numbers.takes?.value ?? 0) * TICKS_PER_SECOND;
            const by = Math.round(each - took);
            if (key.lead !== "previous") key.lead = Math.max(0, key.lead + by);
            for (const k of later) k.at += by;
            return;
          }
          const it = step.moves[move ?? ""];
          if (!it) throw new Refusal("gone", { what: "move" });
          const pattern = patterns(program, program.sequence.steps[f.step] as Step).find((p) =>
            p.some((m) => m.move.id === move),
          );
          const first = pattern?.findIndex((m) => m.move.id === move) ?? -1;
          // The odd one and all that follow it keep their rhythm among themselves.
          const by = Math.round(each - (f.numbers.takes?.value ?? 0) * TICKS_PER_SECOND);
          for (const m of pattern?.slice(first) ?? []) {
            const item = { step: f.step, move: m.move.id };
            retimed(
              draft,
              item,
              (t) => t + by,
              (l) => l,
            );
          }
        };
      },
    },
  },
  channel({ program, thresholds }, target, channel, rows, report) {
    const odd = oddIn(program, thresholds.least);
    for (const run of swings(rows)) {
      const takes = run.map((r) => r.t1 - r.t0);
      const usual = middle(takes);
      // As many odd ones as even ones are a rhythm of its own.
      if (takes.filter((t) => !odd(t, usual)).length * 2 <= takes.length) continue;
      for (const r of run) {
        if (!odd(r.t1 - r.t0, usual)) continue;
        const [from, to] = spanIn(program, r);
        report({
          ...{
            severity: "look",
            what: "swings",
            step: r.step,
            from,
            to,
            targets: [target],
            channel,
            mends: ["equal"],
          },
          numbers: {
            takes: seconds(r.t1 - r.t0),
            usual: seconds(usual),
            by: { value: Math.abs(rise(r)), unit: unitOf(program, channel) },
          },
          about: [r.move, r.key, channel],
        });
      }
    }
  },
  watch({ program, thresholds, step, action }, report) {
    const odd = oddIn(program, thresholds.least);
    for (const pattern of patterns(program, step)) {
      const gaps = pattern.slice(1).map((m, i) => m.t0 - (pattern[i]?.t0 ?? 0));
      const usual = middle(gaps);
      if (usual <= 0 || gaps.filter((g) => !odd(g, usual)).length * 2 <= gaps.length) continue;
      gaps.forEach((gap, i) => {
        const late = pattern[i + 1];
        if (!late || !odd(gap, usual)) return;
        report({
          ...{ severity: "look", what: "pattern", step: step.id, from: action + late.t0, to: action + late.t1 },
          ...{ targets: [late.target], mends: ["equal"], about: [late.move.id] },
          numbers: { takes: seconds(gap), usual: seconds(usual) },
        });
      });
    }
    return null;
  },
};
