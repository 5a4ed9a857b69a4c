import { easedParts, type Neighbours, shapeHandles } from "../curve/segment";
import { type AnyTarget, targetId } from "../document/keys";
import type { Joint } from "../document/preparation";
import { type HandMove, type Key, keysOf, type Move, type Step, type Target } from "../document/sequence";
import { EASE_STEADY, EASE_STRIDE, type Ease, easeAt, reversedEase } from "../ease/ease";
import { invertedAffine, transformDirection } from "../math/mat4";
import { nth, tripleAt } from "../math/packed";
import { slerp } from "../math/rotation";
import type { Triple } from "../math/triple";
import type { Made, Piece, PieceContext } from "../moves/kind";
import { moveKindOf } from "../moves/kinds";
import { ticksPerFrame } from "../time/time";
import { placedBeyond } from "./beyond";
import type { NodeTracks, Placed, Report } from "./layout";
import { linkedBy } from "./linking";
import { pose } from "./pose";
import type { Program } from "./program";
import { goingOn, mayGoOn, repeated, type Waiting, waiting } from "./repeats";
import { type ChannelRows, grouped, rowsOf } from "./rows";
import { createPose, type Pose } from "./sampling";
import { actionLength, isOn, mirroredSpan, spanOf } from "./spans";

/** A move in its step, as listed for a target. */
export type MoveRef = readonly [step: string, move: string];

/** Compiles every channel of one target from what the moves of all steps do with it. */
export function compileTarget(program: Program, id: string, list: readonly MoveRef[]): void {
  const reports: Report[] = [];
  program.reports.delete(id);
  program.placed.delete(id);
  program.offsetBound.delete(id);
  const target = targetFrom(id);
  const tracks = target.type === "node" || target.type === "group" ? program.trackPart(target) : null;
  if (!tracks && !program.exists(target)) {
    for (const [step, move] of list) reports.push(report("target-gone", { step, move, key: "" }, ""));
    if (reports.length > 0) program.reports.set(id, reports);
    return;
  }
  const compiler = new TargetCompiler(program, target, tracks, reports, id);
  const placed = list
    .map(([step, move]) => ({ step, move, position: program.steps.position.get(step) ?? -1 }))
    .filter((m) => {
      const step = program.sequence.steps[m.step];
      const move = step?.moves[m.move];
      return m.position >= 0 && step !== undefined && move !== undefined && isOn(step, move);
    })
    .sort((a, b) => a.position - b.position || (a.move < b.move ? -1 : 1));
  for (let i = 0; i < placed.length; ) {
    const position = (placed[i] as { position: number }).position;
    const moves: { step: string; move: string }[] = [];
    for (; i < placed.length && placed[i]?.position === position; i++)
      moves.push(placed[i] as { step: string; move: string });
    compiler.step(position, moves);
  }
  compiler.write(id);
  if (reports.length > 0) program.reports.set(id, reports);
}

/** A channel's transitions, with what its joint is held to. */
interface Listed extends ChannelRows {
  limits: Joint["limits"];
}

const report = (
  code: Report["code"],
  at: { step: string; move: string; key: string },
  channel: string,
  more: Partial<Report> = {},
): Report => ({
  code,
  step: at.step,
  move: at.move,
  key: at.key,
  channel,
  askedTicks: 0,
  usedTicks: 0,
  ...more,
});

class TargetCompiler {
  private readonly scalars = new Map<number, ChannelRows>();
  private readonly lists = new Map<string, Listed>();
  private readonly turns: Listed = { rows: [], rest: [0, 0, 0, 1], limits: null };
  /** What keeps a channel from being written, by channel and whether by hand; asked for every arrival. */
  private readonly barred = new Map<string, Report["code"] | "none" | null>();
  private lastEase: Ease | null = null;
  private lastEaseNumber = 0;
  private readonly done: Placed[] = [];

  constructor(
    private readonly program: Program,
    private readonly target: AnyTarget,
    private readonly tracks: NodeTracks | null,
    private readonly reports: Report[],
    private readonly id: string,
  ) {}

  /** Places what the moves of one step do, in the order in which it begins. */
  step(position: number, refs: readonly { step: string; move: string }[]): void {
    const { program } = this;
    const stepId = program.steps.ids[position] as string;
    const step = program.sequence.steps[stepId] as Step;
    const queue: (Waiting | { expand: Move; t0: number })[] = this.handPieces(refs, step);
    for (const { move } of refs) {
      const found = step.moves[move] as Move;
      if (found.kind !== "hand") queue.push({ expand: found, t0: found.start });
    }
    // A stable sort: hand keys first, then moves in the order of their ids.
    queue.sort((a, b) => a.t0 - b.t0);
    for (let i = 0; i < queue.length; i++) {
      const next = queue[i] as (typeof queue)[number];
      if (!("expand" in next)) {
        this.place(position, next);
        continue;
      }
      const made = this.piecesOf(next.expand, step, position).map((p) => waiting(p, stepId, next.expand.id, ""));
      const pieces = repeated(next.expand, made, program.sequence).sort((a, b) => a.t0 - b.t0);
      // Put in behind what begins at the same time or before.
      let at = i + 1;
      for (const piece of pieces) {
        while (at < queue.length && (queue[at] as { t0: number }).t0 <= piece.t0) at++;
        queue.splice(at++, 0, piece);
      }
    }
  }

  /** Arrivals of the hand-keyed moves. A lead reaches back at most to the arrival before or the step's action. */
  private handPieces(
    refs: readonly { step: string; move: string }[],
    step: Step,
  ): (Waiting | { expand: Move; t0: number })[] {
    const arrivals: { key: Key; move: string }[] = [];
    for (const { move } of refs) for (const key of keysOf(step.moves[move])) arrivals.push({ key, move });
    arrivals.sort((a, b) => a.key.at - b.key.at || (a.key.id < b.key.id ? -1 : 1));
    const last = new Map<string, number>();
    const chains = new Map<string, Waiting[]>();
    for (const { key, move } of arrivals) {
      const at = { step: step.id, move, key: key.id };
      const channels = Object.entries(key.values) as [string, number | readonly number[]][];
      if (key.orientation) channels.push(["orientation", key.orientation]);
      const found = step.moves[move] as HandMove;
      for (const [channel, to] of channels) {
        if (!this.mayPlace(channel, at)) continue;
        const shape = key.shapes?.[channel];
        const comesFrom = found.beyond?.[channel]?.before ?? "hold";
        // What comes from beyond its first arrival is there already.
        const there = comesFrom !== "hold" && !chains.get(channel)?.some((p) => p.move === move);
        const previous = last.get(channel) ?? 0;
        const asked =
          channel === "visible" || shape?.kind === "hold" || there
            ? 0
            : key.lead === "previous"
              ? key.at - previous
              : key.lead;
        const t0 = Math.max(previous, key.at - asked);
        if (key.at - t0 < asked || (last.has(channel) && previous === key.at)) {
          const code = last.has(channel) && previous === key.at ? "arrival-hidden" : "lead-shortened";
          this.reports.push(report(code, at, channel, { askedTicks: asked, usedTicks: key.at - t0 }));
        }
        last.set(channel, key.at);
        const chain = chains.get(channel);
        const piece = waiting({ channel, t0, t1: key.at, ease: key.ease, to }, step.id, move, key.id);
        piece.shape = shape;
        if (chain) chain.push(piece);
        else chains.set(channel, [piece]);
      }
    }
    const special = refs.filter(({ move }) => {
      const found = step.moves[move];
      return found?.kind === "hand" && (found.repeat !== undefined || found.beyond !== undefined);
    });
    for (const [channel, chain] of chains) {
      for (const { move } of special)
        if (chain.some((p) => p.move === move))
          goingOn(chain, channel, step.moves[move] as HandMove, this.program.sequence);
      chain.forEach((piece, i) => {
        const next = chain[i + 1];
        if (!next || next.t0 !== piece.t1 || next.t1 === next.t0 || piece.t1 === piece.t0) return;
        piece.next = next;
        next.before = piece;
      });
    }
    return [...chains.values()].flat();
  }

  /** Whether a channel can be written; what keeps it from that is reported. */
  private mayPlace(channel: string, at: { step: string; move: string; key: string }): boolean {
    const id = at.key === "" ? `made ${channel}` : channel;
    let bar = this.barred.get(id);
    if (bar === undefined) {
      bar = this.barTo(channel, at.key !== "");
      this.barred.set(id, bar);
    }
    if (bar === null) return true;
    if (bar !== "none") this.reports.push(report(bar, at, channel));
    return false;
  }

  /** What keeps a channel from being written: a report, "none" for nothing worth one, null where it may be. */
  private barTo(channel: string, byHand: boolean): Report["code"] | "none" | null {
    const { tracks, program, target } = this;
    if (channel === "orientation" ? !tracks : program.channelOf(target, channel) < 0)
      return channel.startsWith("joint.") || channel.startsWith("look.") ? "joint-gone" : "none";
    // A ready-made move may take a linked part off, for then nothing drives it any longer; by hand it is only driven.
    const takesOff = !byHand && channel.startsWith("slide.");
    return tracks && !takesOff && linkedBy(tracks, channel) ? "linked" : null;
  }

  private listOf(channel: string): Listed {
    if (channel === "orientation") return this.turns;
    const known = this.lists.get(channel);
    if (known) return known;
    const { program } = this;
    const c = program.channelOf(this.target, channel);
    const joint = channel.startsWith("joint.")
      ? this.tracks?.joints.find((j) => `joint.${j.joint.id}` === channel)
      : undefined;
    const list: Listed = { rows: [], rest: [nth(program.scalars.rest, c)], limits: joint?.joint.limits ?? null };
    this.lists.set(channel, list);
    this.scalars.set(c, list);
    return list;
  }

  private place(position: number, piece: Waiting): void {
    if (piece.key === "" && !this.mayPlace(piece.channel, piece)) return;
    const list = this.listOf(piece.channel);
    const before = list.rows[list.rows.length - 1];
    const from = this.valueAt(list, position, piece.t0);
    if (before && before.position === position && before.t1 > piece.t0 && before.move !== piece.move) {
      this.reports.push(
        report("clash", piece, piece.channel, { other: before.move }),
        report("clash", before, piece.channel, { other: piece.move, lost: true }),
      );
    }
    const to: number[] = piece.mirrors
      ? [...(piece.mirrors.from ?? from)]
      : piece.to === undefined
        ? [piece.by !== undefined ? nth(from, 0) + piece.by : nth(from, 0) * (piece.times ?? 1)]
        : typeof piece.to === "number"
          ? [piece.to]
          : [...piece.to];
    const { cycle } = piece;
    if (cycle && typeof cycle.last.to === "number") {
      // What it has where the cycle begins: before the first transition, or after a first snap.
      const begin = cycle.first.t1 > cycle.first.t0 ? nth(cycle.first.from ?? [0], 0) : (cycle.first.to as number);
      to[0] = nth(to, 0) + cycle.at * (cycle.last.to - begin);
    }
    const { limits } = list;
    const value = nth(to, 0);
    if (limits && ((limits.min !== null && value < limits.min) || (limits.max !== null && value > limits.max)))
      this.reports.push(report("beyond-limit", piece, piece.channel));
    piece.from = from;
    if (!piece.shape && !piece.span) {
      this.put(list, position, piece, piece.t0, piece.t1, from, to, piece.ease);
      return;
    }
    const rows = this.shaped(piece, from, to).map((p) =>
      this.put(list, position, piece, p.t0, p.t1, p.from, p.to, p.ease),
    );
    const [first, end] = [rows[0] as Placed, rows[rows.length - 1] as Placed];
    if (end !== first) end.continues = true;
    if (piece.goesOn && piece.span && mayGoOn(piece, nth(to, 0)))
      Object.assign(end, { after: piece.goesOn, span: piece.span });
    if (piece.comesFrom && piece.span) Object.assign(first, { before: piece.comesFrom, span: piece.span });
  }

  private put(
    list: Listed,
    position: number,
    { step, move, key, channel, companion }: Waiting,
    t0: number,
    t1: number,
    from: readonly number[],
    to: readonly number[],
    ease: Ease,
  ): Placed {
    // Neighbours mostly share one ease, which is not looked up again.
    if (ease !== this.lastEase) {
      this.lastEase = ease;
      this.lastEaseNumber = this.program.ease(ease);
    }
    const row: Placed = {
      step,
      move,
      key,
      channel,
      position,
      t0,
      t1,
      ease: this.lastEaseNumber,
      shape: ease,
      from,
      to,
      companion: companion === true,
      continues: false,
    };
    list.rows.push(row);
    this.done.push(row);
    return row;
  }

  /** A piece as it is compiled: with its ease, or as its shape makes it. */
  private shaped(
    piece: Waiting,
    from: readonly number[],
    to: readonly number[],
  ): { t0: number; t1: number; from: readonly number[]; to: readonly number[]; ease: Ease }[] {
    const { t0, t1, shape } = piece;
    const plain = [{ t0, t1, from, to, ease: piece.ease }];
    if (!shape || from.length > 1 || t1 <= t0) return plain;
    if (shape.kind === "straight") return [{ t0, t1, from, to, ease: EASE_STEADY }];
    const [a, b] = [nth(from, 0), nth(to, 0)];
    const { leave, arrive } = shapeHandles(shape, piece.ease, a, b, t1 - t0, neighbours(piece, a, b));
    return easedParts({ t0, t1, from: a, to: b, leave, arrive }).map((p) => ({ ...p, from: [p.from], to: [p.to] }));
  }

  /** The value of a channel at a time of a step, from what is placed so far. */
  private valueAt(list: ChannelRows, position: number, t: number): readonly number[] {
    for (let i = list.rows.length - 1; i >= 0; i--) {
      const row = list.rows[i] as Placed;
      if (row.position > position || (row.position === position && row.t0 > t)) continue;
      if (row.position < position || t >= row.t1) {
        if (!row.after) return row.to;
        if (row.position < position) this.program.offsetBound.add(this.id);
        const { action } = this.program.steps;
        return [
          placedBeyond(
            list.rows,
            i,
            nth(action, position) + t - nth(action, row.position) - row.t1,
            this.program.easeTable,
          ),
        ];
      }
      const u = easeAt(this.program.easeTable, row.ease * EASE_STRIDE, (t - row.t0) / (row.t1 - row.t0));
      if (row.to.length === 4) {
        const out = [0, 0, 0, 1];
        slerp(out, 0, row.from, 0, row.to, 0, u);
        return out;
      }
      const from = nth(row.from, 0);
      return [from + (nth(row.to, 0) - from) * u];
    }
    return list.rest;
  }

  private piecesOf(move: Move, step: Step, position: number): Piece[] {
    if (move.kind === "hand") return [];
    if (move.kind === "back") return this.mirrored(move);
    const kind = moveKindOf(move.kind);
    if (this.target.type === "overlay") return kind.overlay?.(move as Made) ?? [];
    return kind.pieces(move as Made, this.context(move as Made, step, position, this.target));
  }

  /** The transitions of the move that is reversed, last first, each from where it arrived to where it began. */
  private mirrored(move: Extract<Move, { kind: "back" }>): Piece[] {
    const { program } = this;
    const { of, companions } = move.settings;
    const original = program.sequence.steps[of.step]?.moves[of.move];
    const rows = this.done.filter((r) => r.step === of.step && r.move === of.move && (companions || !r.companion));
    if (!original || rows.length === 0) {
      this.reports.push(report("nothing-to-reverse", { step: "", move: move.id, key: "" }, ""));
      return [];
    }
    const window = mirroredSpan(original, program.sequence, companions);
    const span = spanOf(move, program.sequence);
    const scale = window.t1 > window.t0 ? (span.t1 - span.t0) / (window.t1 - window.t0) : 1;
    const at = (t: number) => move.start + Math.round((window.t1 - t) * scale);
    return rows.toReversed().map((r) => ({
      channel: r.channel,
      t0: at(r.t1),
      t1: at(r.t0),
      ease: reversedEase(r.shape),
      to: r.from.length === 1 ? nth(r.from, 0) : r.from,
      companion: r.companion,
    }));
  }

  private context(move: Made, step: Step, position: number, target: Target): PieceContext {
    const { program, tracks } = this;
    const { index, sequence } = program;
    const nowAt = (channel: string, t: number): number => {
      if (program.channelOf(target, channel) < 0) return 0;
      return nth(this.valueAt(this.listOf(channel), position, t), 0);
    };
    const node = target.type === "node" ? (index.indexOf.get(target.key) ?? -1) : -1;
    const parent = node >= 0 ? nth(index.parent, node) : -1;
    const id = targetId(target);
    return {
      target,
      at: targetPosition(move, id),
      index,
      preparation: program.preparation,
      tracks,
      frame: ticksPerFrame(sequence.rate),
      aspect: sequence.picture.width / sequence.picture.height,
      now: (channel) => nowAt(channel, move.start),
      nowAt,
      own: (d) => (parent < 0 ? [...d] : clean(transformDirection(invertedAffine(index.homeWorld, 16 * parent), d))),
      origin: () => (parent < 0 ? [0, 0, 0] : tripleAt(index.homeWorld, 16 * parent + 12)),
      homeInverse: (n) => invertedAffine(index.homeWorld, 16 * n),
      eased: (ease, u) => easeAt(program.easeTable, program.ease(ease) * EASE_STRIDE, u),
      posed: (t) => {
        const buffer = scratch(program);
        pose(program, nth(program.steps.action, position) + t, buffer);
        return buffer;
      },
      action: actionLength(step, sequence),
      cameraNumber: (camera) => Object.keys(sequence.cameras).indexOf(camera),
      nodesOf: (t) => program.nodesOf(t),
    };
  }

  /** Writes everything into the program's tables. */
  write(id: string): void {
    const { program, tracks, turns } = this;
    if (this.done.length > 0) program.placed.set(id, this.done);
    const known = program.groupsOf.get(id) ?? { scalars: [], orientations: [] };
    program.groupsOf.set(id, {
      scalars: program.scalars.replace(known.scalars, grouped(this.scalars)),
      orientations: program.orientations.replace(
        known.orientations,
        tracks && turns.rows.length > 0
          ? [
              {
                members: [tracks.orientation],
                rows: rowsOf(turns.rows),
                starts: turns.rows.flatMap((r) => r.from),
                values: turns.rows.flatMap((r) => r.to),
                rest: [0, 0, 0, 1],
              },
            ]
          : [],
      ),
    });
  }
}

/** Noise of a rotation's arithmetic beside an exact axis is taken off, so that what stands still stays so exactly. */
const clean = (d: readonly number[]): Triple =>
  d.map((v) => (Math.abs(v) < 1e-12 ? 0 : Math.abs(Math.abs(v) - 1) < 1e-12 ? Math.sign(v) : v)) as Triple;

/** The straight lines through the pieces that a piece runs into without a rest. */
function neighbours(piece: Waiting, from: number, to: number): Neighbours {
  const { before, next } = piece;
  const ahead = next?.mirrors ? next.mirrors.from?.[0] : next?.to;
  const line = (a: number, b: number, p: Waiting) => ({ slope: (b - a) / (p.t1 - p.t0), length: p.t1 - p.t0 });
  return {
    before: before?.from === undefined ? null : line(nth(before.from, 0), from, before),
    after: next && typeof ahead === "number" ? line(to, ahead, next) : null,
  };
}

function targetPosition(move: Made, id: string): number {
  const at = move.targets.findIndex((t) => targetId(t) === id);
  return at < 0 ? move.targets.length : at;
}

const buffers = new WeakMap<Program, Pose>();
function scratch(program: Program): Pose {
  let found = buffers.get(program);
  if (!found) {
    found = createPose(program);
    buffers.set(program, found);
  }
  return found;
}

/** A target from its id. */
export function targetFrom(id: string): AnyTarget {
  if (id.startsWith("n:")) return { type: "node", key: id.slice(2) };
  if (id.startsWith("g:")) return { type: "group", id: id.slice(2) };
  if (id.startsWith("m:")) return { type: "overlay", id: id.slice(2) };
  if (id.startsWith("c:")) return { type: "camera", id: id.slice(2) };
  return id === "look" ? { type: "look" } : { type: "picture" };
}
