import type { Step, Target } from "../document/sequence";
import { targetId } from "../document/sequence";
import { setSetting } from "../edit/moveCommands";
import { nth } from "../math/packed";
import { targetFrom } from "../program/compileTarget";
import type { Placed } from "../program/layout";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";
import { isOn, reversed } from "../program/spans";
import { Refusal } from "../text/refusal";
import { frameToTicks, TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import { byChannel, rise, spanIn } from "./channels";
import type { Check } from "./check";

/** Moves of a step that put others back; known as long as the step stays. */
const backs = new WeakMap<Step, readonly Back[]>();
type Back = Extract<Step["moves"][string], { kind: "back" }>;
function backsOf(step: Step): readonly Back[] {
  let list = backs.get(step);
  if (!list) {
    list = Object.values(step.moves).filter((m): m is Back => m.kind === "back");
    backs.set(step, list);
  }
  return list;
}

/** Rows in which something comes or goes at once; known as long as they stay. */
const jumps = new WeakMap<readonly Placed[], readonly Placed[]>();
function jumpsOf(rows: readonly Placed[]): readonly Placed[] {
  let list = jumps.get(rows);
  if (!list) {
    const channels = byChannel(rows);
    list = [...(channels.get("visible") ?? []), ...(channels.get("opacity") ?? [])].filter(
      (r) => r.t1 <= r.t0 && Math.abs(rise(r)) >= 0.5,
    );
    jumps.set(rows, list);
  }
  return list;
}

/** The parts and groups that are moved by something of their own. */
function movedTargets(program: Program): Target[] {
  const out = new Map<string, Target>();
  for (const id of program.placed.keys()) {
    const target = targetFrom(id);
    if (target.type === "node" || target.type === "group") out.set(targetId(target), target);
  }
  // In an order that edits do not change.
  return [...out].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, target]) => target);
}

/** The numbers of a part's own slides, groups' theirs; -1 where it has none. */
const slidesOf = (program: Program, target: Target): readonly number[] =>
  ["slide.x", "slide.y", "slide.z"].map((c) => program.channelOf(target, c));

/** How far a part stands from its home by its slides, mm. Joints that are open are not "off". */
function away(at: Pose, slides: readonly number[]): number {
  let sum = 0;
  for (const c of slides) if (c >= 0) sum += nth(at.values, c) ** 2;
  return Math.sqrt(sum);
}

const seen = (at: Pose, nodes: readonly number[]): boolean =>
  nodes.some((n) => at.visible[n] === 1 && nth(at.opacity, n) > 0.02);

/**
 * Parts that were taken off and never put back while others came back, what is seen again though it left, put backs
 * that depend on a step that is off, and what comes or goes in one frame.
 */
export const leftOut: Check<"least"> = {
  id: "left-out",
  title: "Left out at the end, or there by accident",
  why: "A machine that ends with a screw too few sends its owner looking for it.",
  needs: ["poses"],
  thresholds: { least: { label: "Away by at least", unit: "mm", min: 0.01, max: 1000, usual: 1 } },
  mends: {
    "step-on": {
      title: "Switch it on",
      command:
        ({ program }, f) =>
        (draft) => {
          const [, move] = f.about.split(" ");
          const it = program.sequence.steps[f.step]?.moves[move ?? ""];
          if (it?.kind !== "back") throw new Refusal("gone", { what: "move" });
          const { step, move: original } = it.settings.of;
          const owner = draft.steps[step];
          const of = owner?.moves[original];
          if (!owner || !of) throw new Refusal("gone", { what: "move" });
          owner.on = true;
          of.on = true;
          if (of.folder !== null && owner.folders[of.folder]) (owner.folders[of.folder] as { on: boolean }).on = true;
        },
    },
    fade: {
      title: "Let it fade",
      command: ({ program }, f) => {
        const [, move] = f.about.split(" ");
        const it = program.sequence.steps[f.step]?.moves[move ?? ""];
        if (it?.kind !== "appear" && it?.kind !== "leave") throw new Refusal("gone", { what: "move" });
        const ref = { step: f.step, move: it.id };
        return (draft) => {
          setSetting(ref, "fade", true)(draft);
          const own = draft.steps[f.step]?.moves[it.id];
          if (own && own.kind !== "hand" && own.length === 0) own.length = TICKS_PER_SECOND / 2;
        };
      },
    },
  },
  run({ program, thresholds, recall }, report) {
    const { steps, sequence } = program;
    const last = steps.ids[steps.ids.length - 1];
    if (last === undefined) return;
    const frame = ticksPerFrame(sequence.rate);
    const at = createPose(program);
    const targets = movedTargets(program);
    const slides = targets.map((t) => slidesOf(program, t));
    const nodes = targets.map((t) => program.nodesOf(t));
    // How all stands when it begins, after each step, and at the end.
    const state = (ticks: number) => {
      pose(program, ticks, at);
      return {
        away: Float64Array.from(slides, (s) => away(at, s)),
        seen: Uint8Array.from(nodes, (list) => (seen(at, list) ? 1 : 0)),
      };
    };
    const first = state(0);
    const names = targets.map(targetId).join();
    const after = steps.ids.map((_, p) => {
      const make = () => state(Math.max(0, nth(steps.end, p) - 1));
      return recall ? recall(`stands ${names}`, p, make) : make();
    });
    const end = after[after.length - 1] as typeof first;
    const isAway = (s: typeof first, i: number) => nth(s.away, i) > thresholds.least;
    const cameBack = targets.some((_, i) => !isAway(first, i) && !isAway(end, i) && after.some((s) => isAway(s, i)));
    targets.forEach((target, i) => {
      const base = { targets: [target], mends: [], about: [targetId(target)] };
      const stepOf = (p: number) => ({
        step: steps.ids[p] as string,
        from: nth(steps.action, p),
        to: nth(steps.still, p),
      });
      if (cameBack && end.seen[i] && isAway(end, i) && !isAway(first, i)) {
        const off = after.findIndex((s) => isAway(s, i));
        report({
          ...base,
          ...{ severity: "wrong", what: "off", ...stepOf(off) },
          numbers: { away: { value: nth(end.away, i), unit: "mm" } },
        });
      }
      // It left, and is there at the end without having been brought back by anything that brings up.
      const left = after.findIndex((s, p) => !s.seen[i] && (p === 0 ? first : after[p - 1])?.seen[i]);
      if (left < 0 || !end.seen[i]) return;
      const again = after.findIndex((s, p) => p > left && s.seen[i]);
      const step = sequence.steps[steps.ids[again] ?? ""];
      const brought = Object.values(step?.moves ?? {}).some(
        (m) => m.kind !== "hand" && (m.kind === "appear" || m.kind === "back"),
      );
      if (again >= 0 && step && !brought)
        report({ ...base, ...{ severity: "look", what: "again", ...stepOf(again) }, numbers: {} });
    });
    for (const id of steps.ids) {
      const step = sequence.steps[id];
      for (const move of step ? backsOf(step) : []) {
        if (!step || !isOn(step, move)) continue;
        const of = reversed(move, sequence);
        const owner = sequence.steps[move.settings.of.step];
        if (!of || !owner || (owner.on && isOn(owner, of))) continue;
        const p = steps.position.get(id) as number;
        report({
          ...{ severity: "wrong", what: "depends", step: id, from: nth(steps.action, p), to: nth(steps.still, p) },
          ...{ targets: [...move.targets], numbers: {}, mends: ["step-on"], about: [move.id] },
        });
      }
    }
    pops();

    /** What comes or goes from one frame to the next while the camera does not cut. */
    function pops(): void {
      const cuts = new Set<number>();
      for (const r of program.placed.get("picture") ?? []) cuts.add(spanIn(program, r)[1]);
      for (const [i, target] of targets.entries()) {
        const opacity = program.channelOf(target, "opacity");
        for (const r of jumpsOf(program.placed.get(targetId(target)) ?? [])) {
          const [, t] = spanIn(program, r);
          if (t < frame || cuts.has(t)) continue;
          const shownAt = (ticks: number) => {
            pose(program, ticks, at);
            return opacity < 0 || !seen(at, nodes[i] ?? []) ? 0 : nth(at.values, opacity);
          };
          const f = Math.ceil(t / frame);
          const before = shownAt(frameToTicks(f - 1, sequence.rate));
          const now = shownAt(frameToTicks(f, sequence.rate));
          if (Math.abs(now - before) < 0.5 || nth(r.to, 0) > nth(r.from, 0) !== now > before) continue;
          const move = sequence.steps[r.step]?.moves[r.move];
          report({
            ...{ severity: "look", what: now > before ? "appears" : "vanishes", step: r.step, from: t, to: t },
            ...{ targets: [target], numbers: {}, about: [r.move, targetId(target)] },
            mends: move?.kind === "appear" || move?.kind === "leave" ? ["fade"] : [],
          });
        }
      }
    }
  },
};
