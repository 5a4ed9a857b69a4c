import { keysOf, type MadeMove, type Move, type Sequence, type Target, targetId } from "../../core/document/sequence";
import { EASE_STRIDE, easeSpeedAt } from "../../core/ease/ease";
import { nth } from "../../core/math/packed";
import type { Placed } from "../../core/program/layout";
import type { Program } from "../../core/program/program";
import { actsOn, cycleOf, isOn, spanOf } from "../../core/program/spans";

/**
 * An arrival on a lane. Times are ticks in the action of the step at `position`, so stills move them without change.
 */
export interface Pin {
  step: string;
  move: string;
  key: string;
  position: number;
  at: number;
  /** Where its lead begins. */
  from: number;
  shortened: boolean;
}

/** A ready-made move on a lane. */
export interface Block {
  step: string;
  move: string;
  kind: MadeMove["kind"];
  position: number;
  t0: number;
  t1: number;
  /** End of its first cycle, where it repeats. */
  once: number;
  clash: boolean;
}

/** Where something moves. */
export interface Stretch {
  position: number;
  t0: number;
  t1: number;
  /** The speed of its ease at evenly spaced moments; shared by all of that ease. */
  course: Float64Array;
  /** What that times gives 0..1 of the lane's highest speed of its kind. */
  scale: number;
}

/**
 * Where something runs on beyond its last arrival, or comes from before its first, until something else has the
 * channel.
 */
export interface Run {
  position: number;
  at: number;
  after: boolean;
  /** Where it ends (or begins): another row; null at the end (or the start) of the sequence. */
  to: { position: number; at: number } | null;
  speed: number;
}

/** One thing that moves: where it moves and how fast, and its arrivals. */
export interface Lane {
  id: string;
  target: Target;
  pins: Pin[];
  blocks: Block[];
  stretches: Stretch[];
  runs: Run[];
}

/** Height of a lane, px. */
export const LANE = 26;
const SAMPLES = 16;

interface Entry {
  moves: Move[];
  positions: number[];
  placed: readonly Placed[] | undefined;
  lane: Lane;
}

/** Keeps the lanes of a program from one edit to the next, making anew only those that an edit touched. */
export class Lanes {
  private entries = new Map<string, Entry>();
  private of: Program | null = null;
  list: Lane[] = [];

  /** The lanes in order of first movement, the cameras' last. */
  update(program: Program, sequence: Sequence): Lane[] {
    const found = new Map<string, { target: Target; moves: Move[]; positions: number[] }>();
    for (const [position, stepId] of program.steps.ids.entries()) {
      const step = sequence.steps[stepId];
      for (const id in step?.moves) {
        const move = step.moves[id] as Move;
        if (!isOn(step, move)) continue;
        for (const target of move.kind === "hand" ? [move.target] : actsOn(move, sequence)) {
          const key = targetId(target);
          const known = found.get(key);
          if (known) {
            known.moves.push(move);
            known.positions.push(position);
          } else found.set(key, { target, moves: [move], positions: [position] });
        }
      }
    }
    const fresh = this.of !== program;
    this.of = program;
    const next = new Map<string, Entry>();
    for (const [id, { target, moves, positions }] of found) {
      const known = this.entries.get(id);
      const placed = program.placed.get(id);
      const same =
        !fresh &&
        known !== undefined &&
        !isDriven(program, target) &&
        known.placed === placed &&
        known.moves.length === moves.length &&
        known.moves.every((m, i) => m === moves[i] && m.kind !== "back") &&
        known.positions.every((p, i) => p === positions[i]);
      next.set(
        id,
        same ? known : { moves, positions, placed, lane: laneOf(program, sequence, id, target, moves, positions) },
      );
    }
    this.entries = next;
    this.list = [...next.values()].map((e) => e.lane).sort((a, b) => firstOf(program, a) - firstOf(program, b));
    return this.list;
  }
}

/** What a link drives moves with others' edits, which its own moves do not show. */
function isDriven(program: Program, target: Target): boolean {
  if (target.type !== "node" && target.type !== "group") return false;
  const tracks = program.trackPart(target);
  return tracks !== null && (tracks.solver >= 0 || tracks.joints.some((j) => j.driver !== null));
}

function firstOf(program: Program, lane: Lane): number {
  if (lane.target.type === "camera" || lane.target.type === "picture") return Number.POSITIVE_INFINITY;
  const start = (p: number) => nth(program.steps.action, p);
  const pin = lane.pins[0];
  let first = pin ? start(pin.position) + pin.at : Number.POSITIVE_INFINITY;
  for (const b of lane.blocks) first = Math.min(first, start(b.position) + b.t0);
  return first;
}

/** The lanes of a sequence, all made anew. */
export const lanesOf = (program: Program, sequence: Sequence): Lane[] => new Lanes().update(program, sequence);

function laneOf(
  program: Program,
  sequence: Sequence,
  id: string,
  target: Target,
  moves: readonly Move[],
  positions: readonly number[],
): Lane {
  const lane: Lane = { id, target, pins: [], blocks: [], stretches: [], runs: [] };
  const reports = program.reports.get(id) ?? [];
  const short = new Set(reports.filter((r) => r.code === "lead-shortened").map((r) => r.key));
  moves.forEach((move, i) => {
    const position = nth(positions, i);
    const step = program.steps.ids[position] as string;
    if (move.kind !== "hand") {
      const span = spanOf(move, sequence);
      const clash = reports.some((r) => r.code === "clash" && r.step === step && r.move === move.id);
      lane.blocks.push({
        step,
        move: move.id,
        kind: move.kind,
        position,
        t0: span.t0,
        t1: span.t1,
        once: cycleOf(move, sequence).t1,
        clash,
      });
      return;
    }
    let before = 0;
    for (const key of keysOf(move).sort((a, b) => a.at - b.at)) {
      const from = Math.max(before, key.lead === "previous" ? before : key.at - key.lead);
      lane.pins.push({
        step,
        move: move.id,
        key: key.id,
        position,
        at: key.at,
        from: Math.min(from, key.at),
        shortened: short.has(key.id),
      });
      before = key.at;
    }
  });
  lane.pins.sort((a, b) => a.position - b.position || a.at - b.at);
  lane.stretches = stretchesOf(program, target);
  lane.runs = runsOf(program.placed.get(id) ?? []);
  return lane;
}

/** A kind of channel whose values have one scale. */
function kindOf(channel: string): string {
  const head = channel.split(".")[0] as string;
  return head === "aim" ? "distance" : head === "elevation" ? "azimuth" : head;
}

function stretchesOf(program: Program, target: Target): Stretch[] {
  // Thousands of transitions share a few eases, whose course is worked out once.
  const courses = new Map<number, { course: Float64Array; top: number }>();
  const courseOf = (ease: number) => {
    let found = courses.get(ease);
    if (!found) {
      const course = new Float64Array(SAMPLES + 1);
      for (let i = 0; i <= SAMPLES; i++)
        course[i] = Math.abs(easeSpeedAt(program.easeTable, ease * EASE_STRIDE, i / SAMPLES));
      found = { course, top: course.reduce((m, v) => Math.max(m, v), 0) };
      courses.set(ease, found);
    }
    return found;
  };
  // Millimetres and degrees have no common scale: each kind is shown against its own highest speed.
  const tops = new Map<string, number>();
  const raw: (Stretch & { kind: string })[] = [];
  for (const { from, to, t0, t1, ease, channel, step } of program.transitions(target)) {
    let change = 0;
    for (let k = 0; k < to.length; k++) change += Math.abs(nth(to, k) - nth(from, k));
    if (t1 <= t0 || change === 0) continue;
    const { course, top } = courseOf(ease);
    const kind = kindOf(channel);
    const scale = change / (t1 - t0);
    tops.set(kind, Math.max(tops.get(kind) ?? 0, top * scale));
    raw.push({ position: step, t0, t1, course, scale, kind });
  }
  return raw
    .map(({ kind, ...s }) => ({ ...s, scale: s.scale / (tops.get(kind) || 1) }))
    .sort((a, b) => a.position - b.position || a.t0 - b.t0);
}

/** Where channels go on after their last arrival, or come from before their first. */
function runsOf(placed: readonly Placed[]): Run[] {
  const out: Run[] = [];
  placed.forEach((row) => {
    if (!row.after && !row.before) return;
    const own = placed.filter((r) => r.channel === row.channel).sort((a, b) => a.position - b.position || a.t0 - b.t0);
    const i = own.indexOf(row);
    const [span0, span1] = row.span ?? [0, 0];
    if (row.after) {
      const next = own[i + 1];
      out.push({
        position: row.position,
        at: row.t1,
        after: true,
        to: next ? { position: next.position, at: next.t0 } : null,
        speed: span1 > span0 ? 0.55 : 0.4,
      });
    }
    if (row.before) {
      const before = own[i - 1];
      out.push({
        position: row.position,
        at: row.t1,
        after: false,
        to: before ? { position: before.position, at: before.t1 } : null,
        speed: 0.55,
      });
    }
  });
  return out;
}
