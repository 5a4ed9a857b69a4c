import { endSlope, type Segment } from "../../curve/segment";
import type { Beyond, Handle, Shape } from "../../document/keys";
import { type HandMove, hand, type Key, type Sequence, scaleHandles, type Target } from "../../document/sequence";
import type { Ease } from "../../ease/ease";
import type { Program } from "../../program/program";
import { Refusal } from "../../text/refusal";
import { arrivalsOf, dropChannel } from "../arrival";
import { freshId } from "../id";
import type { SequenceCommand } from "../sequenceCommands";
import { inRange, keyOfItem, takePlaces, tidy } from "../timing/items";
import { channelCurve, ownCurve, unlikeLater } from "./channel";
import { fittedTo } from "./fitting";
import { ChannelReader } from "./reader";

/** One channel of one arrival. */
export interface CurveRef {
  step: string;
  move: string;
  key: string;
  channel: string;
}

/** The hand-keyed move that holds a point. @throws Refusal when it is gone */
export const moveOf = (draft: Sequence, ref: { step: string; move: string }): HandMove => {
  const move = hand(draft.steps[ref.step]?.moves[ref.move]);
  if (!move) throw new Refusal("curve-not-by-hand");
  return move;
};

/**
 * Gives a channel of an arrival that has several an arrival of its own at the same time, so that it can be timed by
 * itself. @returns the arrival that holds the channel now
 */
export function apart(draft: Sequence, ref: CurveRef): Key {
  const move = moveOf(draft, ref);
  const key = keyOfItem(draft, ref);
  if (Object.keys(key.values).length + (key.orientation ? 1 : 0) <= 1) return key;
  const id = freshId();
  const shape = key.shapes?.[ref.channel];
  move.keys[id] = {
    ...{
      id,
      at: key.at,
      lead: key.lead,
      ease: { ...key.ease },
      values: { [ref.channel]: key.values[ref.channel] as number },
    },
    ...(shape ? { shapes: { [ref.channel]: shape } } : {}),
    ...(key.split?.includes(ref.channel) ? { split: [ref.channel] } : {}),
  };
  dropChannel(key, ref.channel);
  return move.keys[id] as Key;
}

/** Gives a channel of an arrival a shape; null lets the arrival's ease be. */
export const setShape = (key: Key, channel: string, shape: Shape | null) => {
  if (shape) key.shapes = { ...key.shapes, [channel]: shape };
  else if (key.shapes) delete key.shapes[channel];
};

/** A segment's handles as a shape. */
export const handlesShape = (s: Pick<Segment, "leave" | "arrive">): Shape => ({
  kind: "handles",
  leave: { ...s.leave },
  arrive: { ...s.arrive },
});

/** What to do with a channel of arrivals as a whole. */
export interface CurveMove {
  /** Ticks later. */
  by: number;
  /** Added to the value. */
  rise: number;
}

/**
 * Moves points of curves in time and value. Where the time changes, a channel that shared its arrival gets one of its
 * own. @returns the command and where the points are afterwards (filled when it runs)
 */
export function moveCurveKeys(
  refs: readonly CurveRef[],
  move: CurveMove,
): { command: SequenceCommand; refs: CurveRef[] } {
  const out: CurveRef[] = [];
  const command: SequenceCommand = (draft) => {
    out.length = 0;
    const whole = wholeKeys(draft, refs);
    for (const ref of refs) {
      const key = move.by === 0 || whole.has(ref.key) ? keyOfItem(draft, ref) : apart(draft, ref);
      key.values[ref.channel] = (key.values[ref.channel] ?? 0) + move.rise;
      out.push({ ...ref, key: key.id });
    }
    if (move.by === 0) return;
    const chains = new Chains(draft);
    const moved = new Set(out.map((r) => `${r.key} ${r.channel}`));
    const after = out.flatMap((ref) => {
      const next = chains.runsOutOf(ref);
      return next && !moved.has(`${next.id} ${ref.channel}`) ? [{ ref, next: next.id }] : [];
    });
    const before = out.filter((ref) => {
      const from = chains.runsInto(ref);
      return from !== undefined && !moved.has(`${from.id} ${ref.channel}`);
    });
    const seen = new Set<string>();
    for (const ref of out) {
      if (seen.has(ref.key)) continue;
      seen.add(ref.key);
      const key = keyOfItem(draft, ref);
      key.at = inRange(key.at + move.by);
    }
    // What ran into a point or out of it goes on doing so.
    for (const ref of before) {
      const key = keyOfItem(draft, ref);
      if (key.lead !== "previous") key.lead = Math.max(0, key.lead + move.by);
    }
    for (const { ref, next } of after) {
      const at = keyOfItem(draft, ref).at;
      const later = apart(draft, { ...ref, key: next });
      if (later.at >= at) later.lead = later.at - at;
    }
    takePlaces(draft, out);
  };
  return { command, refs: out };
}

/** The arrivals of single channels in order of time, looked up once a channel. */
class Chains {
  private readonly known = new Map<string, { keys: Key[]; at: Map<string, number> }>();

  constructor(private readonly draft: Sequence) {}

  private chain(ref: CurveRef) {
    const id = `${ref.step}\n${ref.move}\n${ref.channel}`;
    let found = this.known.get(id);
    if (!found) {
      const keys = arrivalsOf(moveOf(this.draft, ref), ref.channel);
      found = { keys, at: new Map(keys.map((k, i) => [k.id, i])) };
      this.known.set(id, found);
    }
    return found;
  }

  /** The next arrival of a point's channel, where it sets off from the point with a lead in numbers. */
  runsOutOf(ref: CurveRef): Key | undefined {
    const { keys, at } = this.chain(ref);
    const i = at.get(ref.key) ?? -1;
    const [own, next] = [keys[i], keys[i + 1]];
    if (!own || !next || next.at <= own.at || next.lead === "previous" || next.lead === 0) return undefined;
    return Math.abs(next.at - next.lead - own.at) <= 1 ? next : undefined;
  }

  /** The arrival before a point, where the point's transition sets off from it with a lead in numbers. */
  runsInto(ref: CurveRef): Key | undefined {
    const { keys, at } = this.chain(ref);
    const i = at.get(ref.key) ?? -1;
    const [own, before] = [keys[i], keys[i - 1]];
    if (!own || !before || own.lead === "previous" || own.lead === 0) return undefined;
    return Math.abs(own.at - own.lead - before.at) <= 1 ? before : undefined;
  }
}

/** Arrivals all of whose channels are listed: they can be moved as they are. */
function wholeKeys(draft: Sequence, refs: readonly CurveRef[]): Set<string> {
  const listed = new Map<string, Set<string>>();
  for (const r of refs) {
    const known = listed.get(r.key);
    if (known) known.add(r.channel);
    else listed.set(r.key, new Set([r.channel]));
  }
  const out = new Set<string>();
  for (const ref of refs) {
    if (out.has(ref.key)) continue;
    const key = keyOfItem(draft, ref);
    if (!key.orientation && Object.keys(key.values).every((c) => listed.get(ref.key)?.has(c))) out.add(ref.key);
  }
  return out;
}

/** Scales points of curves about a moment (ticks in the sequence) and a value. Factors may be negative: that flips. */
export function scaleCurveKeys(
  refs: readonly CurveRef[],
  pivot: { at: number; value: number },
  factor: { time: number; value: number },
  start: (step: string) => number,
): SequenceCommand {
  if (![factor.time, factor.value].every(Number.isFinite) || factor.time <= 0) throw new Refusal("scale-factors");
  return (draft) => {
    const whole = wholeKeys(draft, refs);
    const timed = new Set<string>();
    for (const ref of refs) {
      const key = factor.time === 1 || whole.has(ref.key) ? keyOfItem(draft, ref) : apart(draft, ref);
      key.values[ref.channel] = pivot.value + ((key.values[ref.channel] ?? 0) - pivot.value) * factor.value;
      scaleHandles(key, ref.channel, factor.value);
      if (timed.has(key.id) || factor.time === 1) continue;
      timed.add(key.id);
      const own = pivot.at - start(ref.step);
      key.at = inRange(own + (key.at - own) * factor.time);
      if (key.lead !== "previous") key.lead = inRange(key.lead * factor.time);
    }
  };
}

/** Sets exact values of a point: its time (ticks in its action), value, lead. */
export function setCurveKey(
  ref: CurveRef,
  change: { at?: number; value?: number; lead?: number | "previous" },
): SequenceCommand {
  return (draft) => {
    const key = change.at === undefined && change.lead === undefined ? keyOfItem(draft, ref) : apart(draft, ref);
    if (change.value !== undefined) {
      if (!Number.isFinite(change.value)) throw new Refusal("not-a-number");
      key.values[ref.channel] = change.value;
    }
    if (change.at !== undefined) key.at = inRange(change.at);
    if (change.lead !== undefined) key.lead = change.lead === "previous" ? "previous" : inRange(change.lead);
  };
}

/**
 * The handles that take over what transitions do now. A cubic they are taken from exactly; an ease that is none is
 * fitted.
 * @returns the shapes by step, arrival and channel, and the largest distance in value of any of them from what it was
 */
export function ownHandles(
  program: Program,
  target: Target,
  refs: readonly CurveRef[],
): { shapes: Map<string, Shape>; error: number } {
  const shapes = new Map<string, Shape>();
  const wanted = new Set(refs.map((r) => `${r.step} ${r.key} ${r.channel}`));
  let error = 0;
  for (const channel of new Set(refs.map((r) => r.channel))) {
    const reader = new ChannelReader(program, target, channel);
    for (const k of ownCurve(program, target, channel).keys) {
      const id = `${k.step} ${k.key} ${channel}`;
      if (!wanted.has(id)) continue;
      const ease = hand(program.sequence.steps[k.step]?.moves[k.move])?.keys[k.key]?.ease;
      const { t0, t1, from, to } = k.segment;
      if (k.shape !== "ease" || ease?.kind !== "soft" || ease.start + ease.stop === 0 || t1 - t0 < 1) {
        shapes.set(id, handlesShape(k.segment));
        continue;
      }
      const fit = fittedTo((t) => reader.at(Math.min(t, t1 - 1e-3)), t0, t1, from, to);
      shapes.set(id, handlesShape(fit.segment));
      error = Math.max(error, fit.error);
    }
  }
  return { shapes, error };
}

/** Gives transitions a shape; null lets the arrival's ease be. Own handles begin as they are now; see ownHandles. */
export function setShapes(
  program: Program,
  target: Target,
  refs: readonly CurveRef[],
  kind: Shape["kind"] | "ease",
): SequenceCommand {
  const own = kind === "handles" ? ownHandles(program, target, refs).shapes : null;
  const level: Shape = { kind: "handles", leave: { share: 1 / 3, value: 0 }, arrive: { share: 1 / 3, value: 0 } };
  return (draft) => {
    for (const ref of refs) {
      const shape: Shape | null =
        kind === "ease"
          ? null
          : kind === "handles"
            ? (own?.get(`${ref.step} ${ref.key} ${ref.channel}`) ?? level)
            : { kind };
      setShape(keyOfItem(draft, ref), ref.channel, shape);
    }
  };
}

/** Gives whole transitions an ease, and takes shapes of theirs away. */
export function setEases(refs: readonly CurveRef[], ease: Ease): SequenceCommand {
  return (draft) => {
    const whole = wholeKeys(draft, refs);
    for (const ref of refs) {
      const key = whole.has(ref.key) ? keyOfItem(draft, ref) : apart(draft, ref);
      key.ease = { ...ease };
      setShape(key, ref.channel, null);
    }
  };
}

/** Keeps a handle within what a function of time allows. @returns it, and whether it had to be held back */
export function clampedHandle(handle: Handle): { handle: Handle; held: boolean } {
  const share = Number.isFinite(handle.share) ? Math.min(1, Math.max(0, handle.share)) : 0;
  const value = Number.isFinite(handle.value) ? handle.value : 0;
  return { handle: { share, value }, held: share !== handle.share };
}

/**
 * Puts a handle of a transition. Where the transition runs into another and the two handles there are kept in line,
 * the other one turns along and keeps its length in time.
 * @param side the handle at the transition's start ("leave") or at its arrival ("arrive")
 */
export function setHandle(
  program: Program,
  target: Target,
  ref: CurveRef,
  side: "leave" | "arrive",
  handle: Handle,
): SequenceCommand {
  const curve = channelCurve(program, target, ref.channel);
  const at = curve.keys.findIndex((k) => k.key === ref.key && k.step === ref.step);
  const own = curve.keys[at];
  if (!own) throw new Refusal("curve-not-by-hand");
  const { handle: next } = clampedHandle(handle);
  const other = side === "arrive" ? curve.keys[at + 1] : curve.keys[at - 1];
  // Where a repeat turns back, or comes from elsewhere than the first time, what is beside is not the arrival's own way.
  const beside =
    other && other.key !== own.key && !(other.pass > 0 && unlikeLater(curve).has(`${other.step} ${other.key}`));
  const meets = beside && (side === "arrive" ? other.meets : own.meets);
  // The joint belongs to the earlier of the two arrivals.
  const joint = side === "arrive" ? own : other;
  return (draft) => {
    setShape(keyOfItem(draft, ref), ref.channel, handlesShape({ ...own.segment, [side]: next }));
    if (!meets || !other || joint?.split) return;
    // On its very point a handle has no direction of its own: the curve there has that of the handle behind it.
    const slope = endSlope({ ...own.segment, [side]: next }, side === "leave" ? "start" : "end");
    if (!Number.isFinite(slope)) return;
    const across = side === "arrive" ? "leave" : "arrive";
    const share = other.segment[across].share || 1 / 3;
    const turned = {
      share,
      value: (across === "leave" ? 1 : -1) * slope * share * (other.segment.t1 - other.segment.t0),
    };
    setShape(keyOfItem(draft, other), ref.channel, handlesShape({ ...other.segment, [across]: turned }));
  };
}

/**
 * Sets the handles of arrivals apart, or puts them in line again: the one behind then turns into the direction of the
 * one before.
 */
export function setSplit(program: Program, target: Target, refs: readonly CurveRef[], split: boolean): SequenceCommand {
  const curves = new Map(
    [...new Set(refs.map((r) => r.channel))].map((c) => {
      const curve = channelCurve(program, target, c);
      const { keys } = curve;
      const at = keys.flatMap((k, i) => (k.pass === 0 ? [[`${k.step} ${k.key}`, i] as const] : []));
      return [c, { keys, at: new Map(at), unlike: unlikeLater(curve) }];
    }),
  );
  return (draft) => {
    for (const ref of refs) {
      const key = keyOfItem(draft, ref);
      const others = (key.split ?? []).filter((c) => c !== ref.channel);
      key.split = split ? [...others, ref.channel] : others;
      if (split) continue;
      const curve = curves.get(ref.channel);
      const at = curve?.at.get(`${ref.step} ${ref.key}`) ?? -2;
      const [own, next] = [curve?.keys[at], curve?.keys[at + 1]];
      if (!own || !next?.meets || next.key === own.key) continue;
      if (next.pass > 0 && curve?.unlike.has(`${next.step} ${next.key}`)) continue;
      const length = next.segment.t1 - next.segment.t0;
      const share = next.segment.leave.share || 1 / 3;
      setShape(
        keyOfItem(draft, next),
        ref.channel,
        handlesShape({ ...next.segment, leave: { share, value: endSlope(own.segment, "end") * share * length } }),
      );
      setShape(key, ref.channel, handlesShape(own.segment));
    }
  };
}

/** Rounds values to multiples of a step. @returns the command and how many change */
export function roundOff(
  sequence: Sequence,
  refs: readonly CurveRef[],
  to: number,
): { command: SequenceCommand; changed: number } {
  if (!(to > 0)) throw new Refusal("round-step");
  const rounded = (v: number) => Number((Math.round(v / to) * to).toPrecision(12));
  const wanted = refs.filter((r) => {
    const v = keyOfItem(sequence, r).values[r.channel];
    return v !== undefined && rounded(v) !== v;
  });
  return {
    changed: wanted.length,
    command: (draft) => {
      for (const r of wanted) {
        const { values } = keyOfItem(draft, r);
        values[r.channel] = rounded(values[r.channel] as number);
      }
    },
  };
}

/** Channels of hand-keyed moves that never change from what they are before: by move. */
export function unchanging(program: Program): CurveRef[] {
  const out: CurveRef[] = [];
  for (const rows of program.placed.values()) {
    const moving = new Set(
      rows
        .filter((r) => r.from.some((v, i) => v !== r.to[i]) || r.shape.kind === "curve" || r.after || r.before)
        .map((r) => r.channel),
    );
    for (const r of rows)
      if (r.key !== "" && r.channel !== "orientation" && !moving.has(r.channel))
        out.push({ step: r.step, move: r.move, key: r.key, channel: r.channel });
  }
  return out;
}

/**
 * Says how channels of hand-keyed moves go on before their first arrival or after their last; null leaves that side
 * as it is.
 */
export function setBeyond(
  moves: readonly { step: string; move: string; channels: readonly string[] | "all" }[],
  before: Beyond | null,
  after: Beyond | null,
): SequenceCommand {
  return (draft) => {
    for (const m of moves) {
      const move = moveOf(draft, m);
      const channels =
        m.channels === "all"
          ? [...new Set(Object.values(move.keys).flatMap((k) => Object.keys(k.values)))]
          : m.channels;
      const next = { ...move.beyond };
      for (const c of channels) {
        const now = next[c] ?? { before: "hold" as const, after: "hold" as const };
        next[c] = { before: before ?? now.before, after: after ?? now.after };
        if (next[c].before === "hold" && next[c].after === "hold") delete next[c];
      }
      if (Object.keys(next).length > 0) move.beyond = next;
      else delete move.beyond;
    }
  };
}

/** Puts a channel's points back to what they are in another state of the sequence. */
export function restoreChannel(earlier: Sequence, target: Target, channel: string): SequenceCommand {
  return (draft) => {
    for (const step of Object.values(draft.steps)) {
      for (const move of Object.values(step.moves)) {
        if (move.kind !== "hand" || JSON.stringify(move.target) !== JSON.stringify(target)) continue;
        for (const key of Object.values(move.keys)) dropChannel(key, channel);
      }
      const old = Object.values(earlier.steps[step.id]?.moves ?? {}).filter(
        (m): m is HandMove => m.kind === "hand" && JSON.stringify(m.target) === JSON.stringify(target),
      );
      for (const was of old) {
        const keys = Object.values(was.keys).filter((k) => channel in k.values);
        if (keys.length === 0) continue;
        if (!step.moves[was.id]) step.moves[was.id] = { ...was, keys: {} };
        const move = hand(step.moves[was.id]);
        if (!move) continue;
        const b = was.beyond?.[channel];
        if (b) move.beyond = { ...move.beyond, [channel]: { ...b } };
        else if (move.beyond) delete move.beyond[channel];
        for (const key of keys) {
          const shape = key.shapes?.[channel];
          const now = move.keys[key.id];
          const value = key.values[channel] as number;
          // Dropped above, so what is left in the arrival are other channels: its ease is theirs.
          const own = now && Object.keys(now.values).length === 0 && !now.orientation;
          if (
            now &&
            now.at === key.at &&
            now.lead === key.lead &&
            (own || JSON.stringify(now.ease) === JSON.stringify(key.ease))
          ) {
            now.ease = { ...key.ease };
            now.values[channel] = value;
            setShape(now, channel, shape ?? null);
            continue;
          }
          const id = now ? freshId() : key.id;
          move.keys[id] = {
            id,
            at: key.at,
            lead: key.lead,
            ease: { ...key.ease },
            values: { [channel]: value },
            ...(shape ? { shapes: { [channel]: shape } } : {}),
          };
        }
      }
      for (const move of Object.values(step.moves)) tidy(draft, step.id, move.id);
    }
  };
}
