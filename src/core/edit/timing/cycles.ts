import type { Handle } from "../../document/keys";
import {
  type HandMove,
  hand,
  type Key,
  type Move,
  type Sequence,
  type Target,
  targetId,
} from "../../document/sequence";
import { EASE_STRIDE, easeSpeedAt } from "../../ease/ease";
import { channelKind } from "../../kinematics/channelKind";
import { nth } from "../../math/packed";
import type { Placed } from "../../program/layout";
import type { Program } from "../../program/program";
import { createPose, sample } from "../../program/sampling";
import { actsOn, cycleOf, periodOf } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { type FrameRate, TICKS_PER_SECOND, ticksPerFrame } from "../../time/time";
import { arrivalsOf, gather } from "../arrival";
import { type ChannelCurve, ownCurve } from "../curves/channel";
import { freshId } from "../id";
import type { MoveRef } from "../moveCommands";
import type { SequenceCommand } from "../sequenceCommands";
import { inRange } from "./items";

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

/** A channel that is the same again after whole turns. */
const isAngle = (program: Program, channel: string) =>
  channelKind(channel, program.preparation.joints) === "angle" && channel !== "elevation";
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
      // What goes on by itself after its last arrival ends, for its cycle, at that arrival.
      const runsOn = own.find((r) => r.after && r.t1 < t1);
      const end = runsOn ? nth(runsOn.to, 0) : at(c, t1 - 1);
      // Exactly at the seam: how the transition that begins there sets off, and how the one that ends there arrives.
      const out = own.find((r) => r.t1 > r.t0 && r.t0 <= t0 && t0 < r.t1);
      const into = own.find((r) => r.t1 > r.t0 && r.t0 < t1 && t1 <= r.t1);
      const leaves = out ? speedOf(program, out, t0) : 0;
      const arrives = into ? speedOf(program, into, t1) : 0;
      // Only what goes on the same way through the seam needs one speed: a turn has none, and so has a rest.
      const goesOn = out !== undefined && into !== undefined && riseOf(out) * riseOf(into) > 0;
      const top = Math.max(
        ...own.map((r) => Math.abs(nth(r.to, 0) - nth(r.from, 0)) / Math.max(1, (r.t1 - r.t0) / TICKS_PER_SECOND)),
        1e-9,
      );
      const gap = isAngle(program, channel)
        ? Math.abs((end - begin) / 360 - Math.round((end - begin) / 360)) * 360
        : Math.abs(end - begin);
      const last = own.toSorted((a, b) => a.t1 - b.t1).at(-1);
      channels.push({
        ...{ target, channel, begin, end, leaves, arrives },
        move: last && last.key !== "" ? last.move : null,
        // What adds up goes on from where it ends.
        value: adds(own) || gap < 1e-6 + 1e-6 * Math.abs(begin) + (Math.abs(arrives) * 2) / TICKS_PER_SECOND,
        speed: !goesOn || Math.abs(leaves - arrives) < SPEED_SLACK * top + 1e-6,
      });
    }
  }
  return { channels, leftOut };
}

const riseOf = (r: Placed): number => nth(r.to, 0) - nth(r.from, 0);

/** Speed of a transition at a time of its action, units a second. */
function speedOf(program: Program, r: Placed, t: number): number {
  const length = r.t1 - r.t0;
  const u = (t - r.t0) / length;
  return (riseOf(r) * easeSpeedAt(program.easeTable, r.ease * EASE_STRIDE, u) * TICKS_PER_SECOND) / length;
}

/**
 * Closes a cycle: every hand-keyed channel of the block that does not end as it began gets there at its end, in as few
 * arrivals as can be; and where it goes on through the seam at another speed, both ends leave and arrive at a common
 * one. What meets already stays as it is.
 * @param wanted which channels are looked at; all by default
 * @returns the command, what it closes, and what it cannot: channels of ready-made moves and those that only switch
 */
export function closeCycle(
  program: Program,
  refs: readonly MoveRef[],
  period?: number,
  wanted: (channel: string) => boolean = () => true,
): { command: SequenceCommand; closed: CycleChannel[]; leftOut: { target: Target; channel: string }[] } {
  const all = cycleChannels(program, refs, period);
  const channels = all.channels.filter((c) => wanted(c.channel));
  const leftOut = all.leftOut.filter((c) => wanted(c.channel));
  const span = blockSpan(program.sequence, refs);
  const step = (refs[0] as MoveRef).step;
  const end = inRange(span.t0 + (period ?? span.t1 - span.t0));
  const open = channels.filter((c) => !c.value || !c.speed);
  const closed = open.filter((c) => c.move !== null);
  const curves = new Map(closed.map((c) => [c, ownCurve(program, c.target, c.channel)]));
  const command: SequenceCommand = (draft) => {
    const made = new Map<HandMove, Set<string>>();
    for (const c of closed) {
      const move = hand(draft.steps[step]?.moves[c.move as string]);
      if (!move) continue;
      if (!c.value) {
        const whole = isAngle(program, c.channel) ? c.begin + 360 * Math.round((c.end - c.begin) / 360) : c.begin;
        const last = arrivalsOf(move, c.channel).at(-1);
        if (last && last.at === end) last.values[c.channel] = whole;
        else {
          const id = freshId();
          move.keys[id] = {
            ...{ id, at: end, lead: "previous" },
            ease: { kind: "soft", start: 0.3, stop: 0.3 },
            values: { [c.channel]: whole },
          };
          made.set(move, (made.get(move) ?? new Set()).add(id));
        }
      }
      meet(arrivalsOf(move, c.channel), c, end, curves.get(c) as ChannelCurve);
    }
    for (const [move, ids] of made) gather(move, ids);
  };
  return {
    command,
    closed,
    leftOut: [...leftOut, ...open.filter((c) => c.move === null).map(({ target, channel }) => ({ target, channel }))],
  };
}

/**
 * Lets the last transition of a channel's cycle arrive as the first sets off. Where that one's speed is too high for
 * it, or both ended and began at speeds of their own, they meet at one between.
 */
function meet(keys: readonly Key[], c: CycleChannel, end: number, curve: ChannelCurve): void {
  const { channel } = c;
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
  // A rest before the seam or after it wants no speed.
  const rests =
    last.at < end ||
    (at > 0 && out.at - lo > (keys[at - 1]?.at ?? 0)) ||
    (n > 0 && last.at - li > (keys[n - 1]?.at ?? 0) && c.value === false);
  if (lo <= 0 || li <= 0 || rests) return;
  const from = at === 0 ? c.begin : (first.values[channel] as number);
  const [a, b] = [
    ((out.values[channel] as number) - from) / lo,
    ((last.values[channel] as number) - (keys[n - 1]?.values[channel] as number)) / li,
  ];
  if (a * b <= 0) return;
  const inner = (key: Key, side: "leave" | "arrive"): Handle => {
    const shape = key.shapes?.[channel];
    if (shape?.kind === "handles") return shape[side];
    // As it is now, so that nothing but the seam changes; a transition made just now sets off from rest.
    return curve.keys.find((k) => k.key === key.id)?.segment[side] ?? { share: 1 / 3, value: 0 };
  };
  const leaves = c.leaves / TICKS_PER_SECOND;
  // A cubic goes over its end when it gets there at more than three times its mean speed.
  const asItLeaves = !c.value && Math.abs(leaves) <= 3 * Math.abs(b);
  const slope = asItLeaves ? leaves : (2 * a * b) / (a + b);
  if (!asItLeaves)
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
        const own = arrivalsOf(move, channel);
        const [first, last] = [own[0], own[own.length - 1]];
        if (!first || !last) continue;
        // The way to the first arrival belongs to the cycle, unless the channel comes there from beyond.
        const way = b.before !== "hold" && own.length > 1 ? 0 : first.lead === "previous" ? first.at : first.lead;
        const length = last.at - first.at + Math.min(way, first.at);
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
