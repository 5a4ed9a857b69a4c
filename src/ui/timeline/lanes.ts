import { keysOf, type MadeMove, type Sequence, type Target, targetId } from "../../core/document/sequence";
import { EASE_STRIDE, easeSpeedAt } from "../../core/ease/ease";
import type { Program } from "../../core/program/program";
import { actsOn, isOn, spanOf } from "../../core/program/spans";

export interface Pin {
  step: string;
  move: string;
  key: string;
  /** Sequence time, ticks. */
  at: number;
  shortened: boolean;
}

/** A ready-made move on a lane: where it acts, for clicking. */
export interface Block {
  step: string;
  move: string;
  kind: MadeMove["kind"];
  /** Sequence time, ticks. */
  t0: number;
  t1: number;
  clash: boolean;
}

export interface Stretch {
  t0: number;
  t1: number;
  /** Speed at evenly spaced moments, 0..1 of the lane's highest. */
  speed: number[];
}

/** One thing that moves: where it moves and how fast, and its arrivals. */
export interface Lane {
  id: string;
  target: Target;
  pins: Pin[];
  blocks: Block[];
  stretches: Stretch[];
}

/** Height of a lane, px. */
export const LANE = 26;
const SAMPLES = 16;

/** The lanes of a sequence in order of first movement, the camera's last. */
export function lanesOf(program: Program, sequence: Sequence): Lane[] {
  const lanes = new Map<string, Lane>();
  for (const [i, stepId] of program.steps.ids.entries()) {
    const step = sequence.steps[stepId];
    if (!step) continue;
    const action = program.steps.action[i] as number;
    for (const move of Object.values(step.moves)) {
      if (!isOn(step, move)) continue;
      const span = spanOf(move, sequence);
      for (const target of actsOn(move, sequence)) {
        const id = targetId(target);
        let lane = lanes.get(id);
        if (!lane) {
          lane = { id, target, pins: [], blocks: [], stretches: [] };
          lanes.set(id, lane);
        }
        if (move.kind === "hand") continue;
        const clash = (program.reports.get(id) ?? []).some((r) => r.code === "clash" && r.step === stepId && r.move === move.id);
        lane.blocks.push({ step: stepId, move: move.id, kind: move.kind, t0: action + span.t0, t1: action + span.t1, clash });
      }
      if (move.kind !== "hand") continue;
      const id = targetId(move.target);
      const lane = lanes.get(id) as Lane;
      const short = new Set((program.reports.get(id) ?? []).filter((r) => r.code === "lead-shortened").map((r) => r.key));
      for (const key of keysOf(move)) lane.pins.push({ step: stepId, move: move.id, key: key.id, at: action + key.at, shortened: short.has(key.id) });
    }
  }
  for (const lane of lanes.values()) {
    lane.pins.sort((a, b) => a.at - b.at);
    lane.stretches = stretchesOf(program, lane.target);
  }
  const list = [...lanes.values()];
  const first = (l: Lane) =>
    l.target.type === "camera" || l.target.type === "picture" ? Number.POSITIVE_INFINITY : Math.min(l.pins[0]?.at ?? Number.POSITIVE_INFINITY, ...l.blocks.map((b) => b.t0));
  return list.sort((a, b) => first(a) - first(b));
}

function stretchesOf(program: Program, target: Target): Stretch[] {
  const raw = program.transitions(target).flatMap((t) => {
    const change = t.to.reduce((sum, v, k) => sum + Math.abs(v - (t.from[k] as number)), 0);
    if (t.t1 <= t.t0 || change === 0) return [];
    const shift = program.steps.action[t.step] as number;
    const speed = Array.from({ length: SAMPLES + 1 }, (_, i) => (Math.abs(easeSpeedAt(program.easeTable, t.ease * EASE_STRIDE, i / SAMPLES)) * change) / (t.t1 - t.t0));
    const head = t.channel.split(".")[0] as string;
    const kind = head === "aim" ? "distance" : head === "elevation" ? "azimuth" : head;
    return [{ t0: t.t0 + shift, t1: t.t1 + shift, speed, kind }];
  });
  // Millimetres and degrees have no common scale: each kind is shown against its own highest speed.
  const top = new Map<string, number>();
  for (const s of raw) top.set(s.kind, Math.max(top.get(s.kind) ?? 0, ...s.speed));
  return raw.map(({ t0, t1, speed, kind }) => ({ t0, t1, speed: speed.map((v) => v / (top.get(kind) || 1)) }));
}
