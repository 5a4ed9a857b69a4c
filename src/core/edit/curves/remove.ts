import { type Segment, segmentAt } from "../../curve/segment";
import type { Shape } from "../../document/keys";
import { hand, type Sequence, type Target } from "../../document/sequence";
import { nth } from "../../math/packed";
import type { Program } from "../../program/program";
import { Refusal } from "../../text/refusal";
import { arrivalsOf, dropChannel } from "../arrival";
import type { SequenceCommand } from "../sequenceCommands";
import { keyOfItem, tidy } from "../timing/items";
import { type ChannelCurve, type CurveKey, channelCurve, unlikeLater, withoutRepeats } from "./channel";
import { apart, type CurveRef, handlesShape, moveOf, setShape } from "./edit";
import { fittedTo } from "./fitting";
import { ChannelReader } from "./reader";

/** Removes channels from arrivals, and no more: what came after them keeps its lead. */
export function dropChannels(refs: readonly CurveRef[]): SequenceCommand {
  return (draft) => {
    for (const r of refs) dropChannel(keyOfItem(draft, r), r.channel);
    for (const r of refs) tidy(draft, r.step, r.move);
  };
}

/**
 * Removes points as if they had never been there: what set off from one of them sets off where that one did, so the
 * motion goes from the neighbour before to the neighbour behind, its lead grown over the gap.
 */
export function dropPoints(refs: readonly CurveRef[]): SequenceCommand {
  return (draft) => {
    const gone = new Set(refs.map((r) => `${r.step}\n${r.move}\n${r.channel}\n${r.key}`));
    const leads: { ref: CurveRef; lead: number }[] = [];
    const seen = new Set<string>();
    for (const { step, move, channel } of refs) {
      if (seen.has(`${step}\n${move}\n${channel}`)) continue;
      seen.add(`${step}\n${move}\n${channel}`);
      let begin: number | null = null;
      let reached = 0;
      for (const key of arrivalsOf(moveOf(draft, { step, move }), channel)) {
        const t0: number = key.lead === "previous" ? reached : Math.max(reached, key.at - key.lead);
        const removed = gone.has(`${step}\n${move}\n${channel}\n${key.id}`);
        // Where the run of transitions began that leads here through removed points alone.
        const from: number = begin !== null && t0 - reached <= 1 && key.lead !== 0 ? begin : t0;
        if (removed) begin = from;
        else {
          if (begin !== null && from < t0 && key.lead !== "previous")
            leads.push({ ref: { step, move, key: key.id, channel }, lead: key.at - from });
          begin = null;
        }
        reached = key.at;
      }
    }
    for (const { ref, lead } of leads) setLead(draft, ref, lead, leads);
    dropChannels(refs)(draft);
  };
}

/** Gives a channel of an arrival a lead: the arrival itself where all its channels get the same, else one of its own. */
function setLead(draft: Sequence, ref: CurveRef, lead: number, all: readonly { ref: CurveRef; lead: number }[]): void {
  const key = keyOfItem(draft, ref);
  const alike = (channel: string) =>
    all.some((l) => l.ref.key === ref.key && l.ref.channel === channel && l.lead === lead);
  if (!key.orientation && Object.keys(key.values).every(alike)) key.lead = lead;
  else if (key.lead !== lead) apart(draft, ref).lead = lead;
}

/** Removes whole arrivals as if they had never been there; moves that are left without any go, too. */
export function removeKeys(keys: readonly { step: string; move: string; key: string }[]): SequenceCommand {
  return (draft) => {
    const there = keys.flatMap((k) => {
      const key = hand(draft.steps[k.step]?.moves[k.move])?.keys[k.key];
      return key ? [{ ...k, channels: Object.keys(key.values) }] : [];
    });
    dropPoints(there.flatMap(({ channels, ...k }) => channels.map((channel) => ({ ...k, channel }))))(draft);
    for (const { step, move, key } of there) delete hand(draft.steps[step]?.moves[move])?.keys[key];
    for (const { step, move } of there) tidy(draft, step, move);
  };
}

/** Points whose handles depend on their neighbours keep those that they have, whatever is changed beside them. */
function frozen(curve: ChannelCurve, at: readonly number[]): { ref: CurveRef; shape: Shape }[] {
  return at.flatMap((i) => {
    const k = curve.keys[i];
    return k && (k.shape === "smooth" || k.shape === "free")
      ? [{ ref: { step: k.step, move: k.move, key: k.key, channel: curve.channel }, shape: handlesShape(k.segment) }]
      : [];
  });
}

/** One cubic in place of the transitions to some points that follow one another. */
interface Merged {
  /** Points that go. */
  gone: CurveKey[];
  /** The point that stays and what leads to it. */
  last: CurveKey;
  segment: Segment;
  error: number;
}

/** The transitions from one point to another as one, fitted to what the channel really does there. */
function merged(reader: ChannelReader, gone: CurveKey[], last: CurveKey, enough = 0, useless?: number): Merged {
  const { t0, from } = (gone[0] as CurveKey).segment;
  // At its very end the reader tells what comes after, where something snaps there.
  const value = (t: number) => reader.at(Math.min(t, last.at - 1e-3));
  const fit = fittedTo(value, t0, last.at, from, last.value, enough, useless);
  // What is left out is where a fit is worst, above all at a corner.
  const error = gone.reduce((most, k) => Math.max(most, Math.abs(segmentAt(fit.segment, k.at) - k.value)), fit.error);
  return { gone, last, segment: fit.segment, error };
}

/** The command that puts merged transitions in place of what they were. */
function putMerged(
  channel: string,
  list: readonly Merged[],
  keep: readonly { ref: CurveRef; shape: Shape }[],
): SequenceCommand {
  const refOf = (k: CurveKey): CurveRef => ({ step: k.step, move: k.move, key: k.key, channel });
  return (draft) => {
    for (const { ref, shape } of keep) setShape(keyOfItem(draft, ref), ref.channel, shape);
    for (const m of list) {
      const key = apart(draft, refOf(m.last));
      key.lead = Math.round(m.segment.t1 - m.segment.t0);
      setShape(key, channel, handlesShape(m.segment));
    }
    for (const k of list.flatMap((m) => m.gone)) {
      dropChannel(keyOfItem(draft, refOf(k)), channel);
      tidy(draft, k.step, k.move);
    }
  };
}

/**
 * Removes points of a channel and keeps its shape as well as one cubic can: between transitions that meet, what is left
 * is fitted to what the channel did. Elsewhere they go as by {@link dropPoints}.
 * @returns the command, and the largest change of value anywhere (in the channel's unit); null where it could not be
 * kept
 */
export function deleteCurveKeys(
  program: Program,
  target: Target,
  refs: readonly CurveRef[],
): { command: SequenceCommand; error: number | null } {
  let error: number | null = 0;
  const commands: SequenceCommand[] = [];
  for (const channel of new Set(refs.map((r) => r.channel))) {
    const whole = channelCurve(program, target, channel);
    const [curve, unlike] = [withoutRepeats(whole), unlikeLater(whole)];
    const reader = new ChannelReader(program, target, channel);
    const gone = new Set(refs.filter((r) => r.channel === channel).map((r) => `${r.step} ${r.key}`));
    const isGone = (k: CurveKey | undefined) => k !== undefined && gone.has(`${k.step} ${k.key}`);
    const list: Merged[] = [];
    const beside: number[] = [];
    const plain: CurveRef[] = [];
    for (let i = 0; i < curve.keys.length; i++) {
      if (!isGone(curve.keys[i])) continue;
      const begins = i;
      const run: CurveKey[] = [];
      while (isGone(curve.keys[i])) run.push(curve.keys[i++] as CurveKey);
      const next = curve.keys[i];
      const kept = next && next.step === run[0]?.step && [...run.slice(1), next].every((k) => k.meets);
      if (!next || !kept || run.some((k) => unlike.has(`${k.step} ${k.key}`))) {
        plain.push(...run.map((k): CurveRef => ({ step: k.step, move: k.move, key: k.key, channel })));
        error = null;
        continue;
      }
      const m = merged(reader, run, next);
      list.push(m);
      beside.push(begins - 1, i + 1);
      if (error !== null) error = Math.max(error, m.error);
    }
    commands.push(putMerged(channel, list, frozen(curve, beside)));
    if (plain.length > 0) commands.push(dropPoints(plain));
  }
  return {
    error,
    command: (draft) => {
      for (const command of commands) command(draft);
    },
  };
}

/**
 * Takes out points that a curve does without: one after another, as long as nothing moves by more than `slack` from
 * what the channel does now.
 * @param slack in the channel's unit
 */
export function thinOut(
  program: Program,
  target: Target,
  channel: string,
  slack: number,
): { command: SequenceCommand; removed: number; error: number } {
  if (!(slack >= 0)) throw new Refusal("slack");
  const whole = channelCurve(program, target, channel);
  const [curve, unlike] = [withoutRepeats(whole), unlikeLater(whole)];
  const reader = new ChannelReader(program, target, channel);
  const list: Merged[] = [];
  const beside: number[] = [];
  // How many could go from each point on, at most: counted from the end, once.
  const runs = new Uint32Array(curve.keys.length);
  for (let i = curve.keys.length - 2; i >= 0; i--) {
    const [k, next] = [curve.keys[i] as CurveKey, curve.keys[i + 1] as CurveKey];
    const moves = k.segment.t1 > k.segment.t0 && !unlike.has(`${k.step} ${k.key}`);
    if (moves && next.meets && next.step === k.step && next.move === k.move && !bounds(curve, k))
      runs[i] = 1 + nth(runs, i + 1);
  }
  for (let i = 0; i < curve.keys.length - 1; i++) {
    const begins = i;
    const most = nth(runs, i);
    const of = (n: number, enough: number, useless?: number) =>
      merged(reader, curve.keys.slice(i, i + n), curve.keys[i + n] as CurveKey, enough, useless);
    // Half of what is allowed will do while trying, for the fit looks at fewer moments than it is judged by.
    const found = longest(most, (n) => {
      const m = of(n, slack / 2, slack);
      return m.error > slack ? null : m;
    });
    if (!found) continue;
    // What is kept is as close as can be.
    const close = of(found.gone.length, 0);
    const best = close.error <= found.error ? close : found;
    list.push(best);
    i = begins + best.gone.length;
    beside.push(begins - 1, i + 1);
  }
  // Two that follow one another are each fitted already: only what stays as it was is frozen.
  const fitted = new Set(list.map((m) => m.last));
  return {
    removed: list.reduce((n, m) => n + m.gone.length, 0),
    error: list.reduce((most, m) => Math.max(most, m.error), 0),
    command: putMerged(
      channel,
      list,
      frozen(
        curve,
        beside.filter((i) => !fitted.has(curve.keys[i] as CurveKey)),
      ),
    ),
  };
}

/**
 * What the longest run gives that is found to do: one point, two, four and so on, then between the last that did and the
 * first that did not. A run grows by trying about twice as often as its length has binary digits.
 */
function longest<T>(most: number, of: (n: number) => T | null): T | null {
  let good = 0;
  let best: T | null = null;
  let bad = most + 1;
  for (let n = 1; n <= most; n = good === most ? most + 1 : Math.min(most, 2 * n)) {
    const found = of(n);
    if (!found) {
      bad = n;
      break;
    }
    [good, best] = [n, found];
  }
  while (bad - good > 1) {
    const n = (good + bad) >> 1;
    const found = of(n);
    if (found) [good, best] = [n, found];
    else bad = n;
  }
  return best;
}

/** Whether a point is an end of a cycle that the channel goes on with: taking it out would change the cycle. */
function bounds(curve: ChannelCurve, key: CurveKey): boolean {
  const on = curve.beyond.find((b) => b.step === key.step && b.move === key.move);
  if (!on) return false;
  return curve.keys.find((k) => k.step === key.step && k.move === key.move) === key;
}
