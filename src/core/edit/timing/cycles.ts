import { hand, type Key, type Move, type Repeat, type Sequence, type Target, targetId } from "../../document/sequence";
import { EASE_STRIDE, easeSpeedAt } from "../../ease/ease";
import { nth } from "../../math/packed";
import { createPose, sample } from "../../program/pose";
import type { Program } from "../../program/program";
import { actsOn, cycleOf, periodOf } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { type FrameRate, TICKS_PER_SECOND, ticksPerFrame } from "../../time/time";
import { freshId } from "../id";
import type { MoveRef } from "../moveCommands";
import type { SequenceCommand } from "../sequenceCommands";
import { inRange } from "./items";

/** Makes moves repeat together, as one block: all with the same period. null makes them act once again. */
export function setRepeat(refs: readonly MoveRef[], repeat: Repeat | null): SequenceCommand {
  return (draft) => {
    for (const ref of refs) {
      const move = draft.steps[ref.step]?.moves[ref.move];
      if (!move) throw new Refusal("gone", { what: "move" });
      if (repeat) move.repeat = { ...repeat };
      else delete move.repeat;
    }
  };
}

/** The span of a block of moves of one step the first time it acts, ticks in the action. @throws Refusal for none */
export function blockSpan(sequence: Sequence, refs: readonly MoveRef[]): { t0: number; t1: number } {
  const spans = refs.flatMap((r) => {
    const move = sequence.steps[r.step]?.moves[r.move];
    return move ? [cycleOf(move, sequence)] : [];
  });
  if (spans.length === 0) throw new Refusal("cycle-nothing");
  if (new Set(refs.map((r) => r.step)).size > 1) throw new Refusal("cycle-steps");
  return { t0: Math.min(...spans.map((s) => s.t0)), t1: Math.max(...spans.map((s) => s.t1)) };
}

/** How often a block fits from its start to a time, and what is left over, ticks. At least once. */
export function timesUntil(
  sequence: Sequence,
  refs: readonly MoveRef[],
  until: number,
  period?: number,
): { times: number; left: number } {
  const span = blockSpan(sequence, refs);
  const each = period ?? span.t1 - span.t0;
  if (!(each > 0)) throw new Refusal("cycle-no-time");
  const times = Math.max(1, Math.floor((until - span.t0) / each + 1e-9));
  return { times, left: until - span.t0 - times * each };
}

/** One channel of a block, at its beginning and its end. */
export interface CycleChannel {
  target: Target;
  channel: string;
  /** The move that keys it by hand last, or null where a ready-made move decides. */
  move: string | null;
  begin: number;
  end: number;
  /** Speeds there, a second. */
  leaves: number;
  arrives: number;
  /** Whether it may repeat without a jump: equal values, or an angle that differs by whole turns. */
  value: boolean;
  speed: boolean;
}

const isAngle = (channel: string) =>
  channel.startsWith("turn.") || channel === "azimuth" || channel === "roll" || channel.startsWith("joint.");
/** A difference in speed that is not seen: a thousandth of the channel's own highest, or this many units a second. */
const SPEED_SLACK = 1e-3;

/**
 * Looks at every channel that a block of moves changes, where the cycle begins and where it ends.
 * @param period ticks of one cycle; at least the block's own length
 * @returns the channels, and the names of those that cannot be closed at all: free orientations and what is switched
 */
export function cycleChannels(
  program: Program,
  refs: readonly MoveRef[],
  period?: number,
): { channels: CycleChannel[]; leftOut: { target: Target; channel: string }[] } {
  const { sequence } = program;
  const span = blockSpan(sequence, refs);
  const step = (refs[0] as MoveRef).step;
  const position = program.steps.position.get(step);
  if (position === undefined) throw new Refusal("step-off");
  const action = nth(program.steps.action, position);
  const length = period ?? span.t1 - span.t0;
  const wanted = new Set(refs.map((r) => r.move));
  const channels: CycleChannel[] = [];
  const leftOut: { target: Target; channel: string }[] = [];
  const targets = new Map<string, Target>();
  for (const ref of refs) {
    const move = sequence.steps[ref.step]?.moves[ref.move];
    if (move) for (const t of actsOn(move, sequence)) targets.set(targetId(t), t);
  }
  const adds = (rows: readonly { move: string }[]) =>
    rows.some((r) => sequence.steps[step]?.moves[r.move]?.repeat?.way === "add");
  const pose = createPose(program);
  const at = (c: number, t: number) => {
    sample(program, action + t, pose);
    return nth(pose.values, c);
  };
  for (const [id, target] of targets) {
    const rows = (program.placed.get(id) ?? []).filter((r) => r.step === step && wanted.has(r.move));
    for (const channel of new Set(rows.map((r) => r.channel))) {
      const own = rows.filter((r) => r.channel === channel);
      if (channel === "orientation" || channel === "visible" || channel === "tint-colour" || channel === "live") {
        leftOut.push({ target, channel });
        continue;
      }
      const c = program.channelOf(target, channel);
      const [t0, t1] = [span.t0, span.t0 + length];
      const begin = at(c, t0);
      const end = at(c, t1 - 1);
      // Exactly at the seam: how the transition that begins there sets off, and how the one that ends there arrives.
      const speed = (t: number, side: "leaving" | "arriving") => {
        const r = own.find((x) => x.t1 > x.t0 && (side === "leaving" ? x.t0 <= t && t < x.t1 : x.t0 < t && t <= x.t1));
        if (!r) return 0;
        const u = (t - r.t0) / (r.t1 - r.t0);
        return (
          ((nth(r.to, 0) - nth(r.from, 0)) *
            easeSpeedAt(program.easeTable, r.ease * EASE_STRIDE, u) *
            TICKS_PER_SECOND) /
          (r.t1 - r.t0)
        );
      };
      const leaves = speed(t0, "leaving");
      const arrives = speed(t1, "arriving");
      const top = Math.max(
        ...own.map((r) => Math.abs(nth(r.to, 0) - nth(r.from, 0)) / Math.max(1, (r.t1 - r.t0) / TICKS_PER_SECOND)),
        1e-9,
      );
      const gap = isAngle(channel)
        ? Math.abs((end - begin) / 360 - Math.round((end - begin) / 360)) * 360
        : Math.abs(end - begin);
      const last = own.toSorted((a, b) => a.t1 - b.t1).at(-1);
      channels.push({
        ...{ target, channel, begin, end, leaves, arrives },
        move: last && last.key !== "" ? last.move : null,
        // What adds up goes on from where it ends.
        value: adds(own) || gap < 1e-6 + 1e-6 * Math.abs(begin) + (Math.abs(arrives) * 2) / TICKS_PER_SECOND,
        speed: Math.abs(leaves - arrives) < SPEED_SLACK * top + 1e-6,
      });
    }
  }
  return { channels, leftOut };
}

/**
 * Closes a cycle: every hand-keyed channel of the block that does not end as it began gets an arrival at its end, at
 * the value it began with; and where the speed differs, both ends leave and arrive at a common one.
 * @returns the command, what it closes, and what it cannot: channels of ready-made moves and those that only switch
 */
export function closeCycle(
  program: Program,
  refs: readonly MoveRef[],
  period?: number,
): { command: SequenceCommand; closed: CycleChannel[]; leftOut: { target: Target; channel: string }[] } {
  const { channels, leftOut } = cycleChannels(program, refs, period);
  const span = blockSpan(program.sequence, refs);
  const step = (refs[0] as MoveRef).step;
  const end = inRange(span.t0 + (period ?? span.t1 - span.t0));
  const open = channels.filter((c) => !c.value || !c.speed);
  const closed = open.filter((c) => c.move !== null);
  const command: SequenceCommand = (draft) => {
    for (const c of closed) {
      const move = hand(draft.steps[step]?.moves[c.move as string]);
      if (!move) continue;
      const own = () =>
        Object.values(move.keys)
          .filter((k) => c.channel in k.values)
          .sort((a, b) => a.at - b.at);
      if (!c.value) {
        const last = own().at(-1);
        if (last && last.at === end) last.values[c.channel] = c.begin;
        else {
          const id = freshId();
          const whole = isAngle(c.channel) ? c.begin + 360 * Math.round((c.end - c.begin) / 360) : c.begin;
          move.keys[id] = {
            id,
            at: end,
            lead: "previous",
            ease: { kind: "soft", start: 0.3, stop: 0.3 },
            values: { [c.channel]: whole },
          };
        }
      }
      meet(own(), c.channel, c.begin, end);
    }
  };
  return {
    command,
    closed,
    leftOut: [...leftOut, ...open.filter((c) => c.move === null).map(({ target, channel }) => ({ target, channel }))],
  };
}

/** Gives the first and the last transition of a channel's cycle handles of one common speed where they meet. */
function meet(keys: readonly Key[], channel: string, begin: number, end: number): void {
  const [first, last] = [keys[0], keys[keys.length - 1]];
  if (!first || !last || keys.length < 2) return;
  const lengthOf = (i: number) => {
    const key = keys[i] as Key;
    const before = keys[i - 1]?.at ?? 0;
    return key.lead === "previous" ? key.at - before : Math.min(key.lead, key.at - before);
  };
  // The transition that leaves the seam: into the first arrival, or out of it where the first is a snap.
  const at = lengthOf(0) > 0 ? 0 : 1;
  const out = keys[at] as Key;
  const n = keys.length - 1;
  const [lo, li] = [lengthOf(at), lengthOf(n)];
  if (lo <= 0 || li <= 0) return;
  const from = at === 0 ? begin : (first.values[channel] as number);
  const rises = [
    (out.values[channel] as number) - from,
    (last.values[channel] as number) - (keys[n - 1]?.values[channel] as number),
  ];
  const [a, b] = [nth(rises, 0) / lo, nth(rises, 1) / li];
  // A rest before the seam or after it, or a turn in it, wants no speed; else the mean that overshoots nothing.
  const rest =
    last.at < end ||
    (out.lead !== "previous" && at > 0 && out.at - lo > (keys[at - 1]?.at ?? 0)) ||
    (last.lead !== "previous" && last.at - li > (keys[n - 1]?.at ?? 0));
  const slope = rest || a * b <= 0 ? 0 : (2 * a * b) / (a + b);
  const inner = (key: Key, side: "leave" | "arrive") => {
    const shape = key.shapes?.[channel];
    return shape?.kind === "handles" ? shape[side] : { share: 1 / 3, value: 0 };
  };
  out.shapes = {
    ...out.shapes,
    [channel]: { kind: "handles", leave: { share: 1 / 3, value: (slope * lo) / 3 }, arrive: inner(out, "arrive") },
  };
  last.shapes = {
    ...last.shapes,
    [channel]: { kind: "handles", leave: inner(last, "leave"), arrive: { share: 1 / 3, value: (-slope * li) / 3 } },
  };
}

const gcd = (a: bigint, b: bigint): bigint => (b === 0n ? a : gcd(b, a % b));

/** When cycles of different lengths are all at their beginning again, ticks; null when that is beyond ten hours. */
export function wholeRepeats(periods: readonly number[]): number | null {
  let whole = 1n;
  for (const p of periods) {
    if (!(p > 0)) return null;
    const next = BigInt(Math.round(p));
    whole = (whole / gcd(whole, next)) * next;
    if (whole > 36_000n * BigInt(TICKS_PER_SECOND)) return null;
  }
  return Number(whole);
}

/** The cycles of a step: moves that repeat, and hand keys that go on beyond their last arrival in cycles. Ticks. */
export function periodsOf(sequence: Sequence, step: string): { move: Move; period: number }[] {
  const out: { move: Move; period: number }[] = [];
  for (const move of Object.values(sequence.steps[step]?.moves ?? {})) {
    if (move.repeat) out.push({ move, period: periodOf(move, cycleOf(move, sequence)) });
    else if (move.kind === "hand") {
      for (const [channel, b] of Object.entries(move.beyond ?? {})) {
        if (b.after !== "repeat" && b.after !== "add" && b.after !== "swing") continue;
        const own = Object.values(move.keys)
          .filter((k) => channel in k.values)
          .sort((p, q) => p.at - q.at);
        const [first, last] = [own[0], own[own.length - 1]];
        if (!first || !last) continue;
        const length = own.length > 1 ? last.at - first.at : first.lead === "previous" ? first.at : first.lead;
        if (length > 0) out.push({ move, period: b.after === "swing" ? 2 * length : length });
      }
    }
  }
  return out;
}

/**
 * Frames of one cycle: the one that would show twice is left out. Not a whole number where the cycle ends between
 * frames.
 */
export const cycleFrames = (period: number, rate: FrameRate): number => period / ticksPerFrame(rate);
