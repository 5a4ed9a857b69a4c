import { dividedAt, type Segment } from "../../curve/segment";
import type { Shape } from "../../document/keys";
import { hand, type Key, type Target } from "../../document/sequence";
import type { Ease } from "../../ease/ease";
import { nth } from "../../math/packed";
import type { Program } from "../../program/program";
import { Refusal } from "../../text/refusal";
import { freshId } from "../id";
import type { SequenceCommand } from "../sequenceCommands";
import { inRange } from "../timing/items";
import { type ChannelCurve, type CurveKey, channelCurve } from "./channel";
import { apart, type CurveRef, handlesShape, moveOf, setShape } from "./edit";

/** Longest gap of a soft ease's halves that still counts as its line. */
const LITTLE = 1e-9;

/**
 * Puts an arrival on a curve without changing its shape. On a soft ease the point where its speed becomes steady gets
 * an arrival too where the cut is before it, for only so both sides stay exact.
 * @param t ticks in the sequence; within a repeat of a move it counts where that comes from
 * @returns the command, the new point, and whether a second one was needed
 * @throws Refusal where a ready-made move has the channel, or an arrival is there already
 */
export function insertKey(
  program: Program,
  target: Target,
  channel: string,
  t: number,
): { command: SequenceCommand; ref: CurveRef; second: boolean } {
  const curve = channelCurve(program, target, channel);
  if (curve.keys.some((k) => Math.abs(k.at - t) < 1)) throw new Refusal("arrival-there");
  const shown = curve.keys.find((k) => t > k.segment.t0 && t < k.at);
  const id = freshId();
  if (!shown) return insertInRest(program, curve, t, id);
  // In a repeat it goes to where that comes from, and shows where it was asked for as well.
  const hit = curve.keys.find((k) => k.pass === 0 && k.key === shown.key && k.step === shown.step) ?? shown;
  const since = shown.back ? shown.at - t : t - shown.segment.t0;
  const cutAt = Math.round(hit === shown ? t : Math.min(hit.at - 1, hit.segment.t0 + since));
  const ref: CurveRef = { step: hit.step, move: hit.move, key: id, channel };
  const start = nth(program.steps.action, program.steps.position.get(hit.step) ?? 0);
  const pieces = cutPieces(program, hit, channel, cutAt);
  const command: SequenceCommand = (draft) => {
    const own = apart(draft, { ...ref, key: hit.key });
    const move = moveOf(draft, ref);
    const end = own.at;
    pieces.forEach((piece, i) => {
      const last = i === pieces.length - 1;
      const at = last ? end : Math.round(piece.t1 - start);
      const from = i === 0 ? hit.segment.t0 - start : Math.round((pieces[i - 1] as Cut).t1 - start);
      // The first piece is the one that ends where the new point is asked for, or at the steady part's start.
      const key: Key = last
        ? own
        : {
            id: Math.abs(piece.t1 - cutAt) < 2 ? id : freshId(),
            at,
            lead: 0,
            ease: own.ease,
            values: { [channel]: piece.to },
          };
      key.lead = Math.max(0, Math.round(at - from));
      key.ease = piece.ease;
      setShape(key, channel, piece.shape);
      if (!last) move.keys[key.id] = key;
    });
  };
  return { command, ref, second: pieces.length > 2 };
}

interface Cut {
  t1: number;
  to: number;
  ease: Ease;
  shape: Shape | null;
}

/** A transition cut at a time into pieces that are exactly the same curve. */
function cutPieces(program: Program, k: CurveKey, channel: string, t: number): Cut[] {
  const s = k.segment;
  const key = hand(program.sequence.steps[k.step]?.moves[k.move])?.keys[k.key];
  const shape = key?.shapes?.[channel];
  const own: Ease = key?.ease ?? { kind: "soft", start: 0, stop: 0 };
  if (shape?.kind === "hold")
    return [
      { t1: t, to: s.from, ease: own, shape },
      { t1: s.t1, to: s.to, ease: own, shape },
    ];
  if (shape?.kind === "straight" || (!shape && own.kind === "soft" && own.start + own.stop < LITTLE)) {
    const to = s.from + ((s.to - s.from) * (t - s.t0)) / (s.t1 - s.t0);
    const straight = shape ?? null;
    return [
      { t1: t, to, ease: own, shape: straight },
      { t1: s.t1, to: s.to, ease: own, shape: straight },
    ];
  }
  if (!shape && own.kind === "soft") return cutSoft(s, own, t);
  const [a, b] = dividedAt(s, t);
  return [
    { t1: a.t1, to: a.to, ease: own, shape: handlesShape(a) },
    { t1: b.t1, to: b.to, ease: own, shape: handlesShape(b) },
  ];
}

/** A soft ease is a parabola, a line and a parabola; each piece of it is again one, or an exact cubic. */
function cutSoft(s: Segment, ease: Extract<Ease, { kind: "soft" }>, t: number): Cut[] {
  const scale = Math.max(1, ease.start + ease.stop);
  const [a, b] = [ease.start / scale, ease.stop / scale];
  const top = 1 / (1 - a / 2 - b / 2);
  const length = s.t1 - s.t0;
  const d = s.to - s.from;
  const u = (t - s.t0) / length;
  const valueAt = (x: number) =>
    s.from + d * (x < a ? (top * x * x) / (2 * a) : x > 1 - b ? 1 - (top * (1 - x) ** 2) / (2 * b) : top * (x - a / 2));
  const speedAt = (x: number) => (d * (x < a ? (top * x) / a : x > 1 - b ? (top * (1 - x)) / b : top)) / length;
  const soft = (start: number, stop: number): Ease => ({ kind: "soft", start, stop });
  /** The parabola between two shares of the time, as the cubic it is. */
  const parabola = (from: number, to: number): Cut => {
    const third = ((to - from) * length) / 3;
    return {
      t1: s.t0 + to * length,
      to: valueAt(to),
      ease: soft(0, 0),
      shape: {
        kind: "handles",
        leave: { share: 1 / 3, value: speedAt(from) * third },
        arrive: { share: 1 / 3, value: -speedAt(to) * third },
      },
    };
  };
  const eased = (to: number, e: Ease): Cut => ({
    t1: s.t0 + to * length,
    to: to === 1 ? s.to : valueAt(to),
    ease: e,
    shape: null,
  });
  if (u < a) {
    const rest = 1 - a;
    const tail = rest > LITTLE ? [eased(1, soft(0, Math.min(1, b / rest)))] : [];
    return [eased(u, soft(1, 0)), parabola(u, a), ...tail];
  }
  if (u > 1 - b) {
    const head = 1 - b > LITTLE ? [eased(1 - b, soft(Math.min(1, a / (1 - b)), 0))] : [];
    return [...head, parabola(1 - b, u), eased(1, soft(0, 1))];
  }
  return [eased(u, soft(a / u, 0)), eased(1, soft(0, b / (1 - u)))];
}

/** An arrival where the channel rests: at the value it has there. */
function insertInRest(
  program: Program,
  curve: ChannelCurve,
  t: number,
  id: string,
): { command: SequenceCommand; ref: CurveRef; second: boolean } {
  const { steps } = program;
  const i = steps.ids.findIndex((_, n) => t >= nth(steps.action, n) && t <= nth(steps.end, n));
  const near = curve.keys.filter((k) => steps.position.get(k.step) === i && k.pass === 0);
  const move = near[0];
  if (
    !move ||
    curve.made.some((m) =>
      m.rows.some((r) => nth(steps.action, r.position) + r.t0 < t && t < nth(steps.action, r.position) + r.t1),
    )
  ) {
    throw new Refusal("point-not-by-hand");
  }
  // A point in a later repeat would make the move longer, and all of it be repeated.
  if (curve.keys.some((k) => k.pass > 0 && k.move === move.move && k.step === move.step && k.segment.t0 <= t))
    throw new Refusal("point-in-repeat");
  const before = curve.keys.filter((k) => k.at <= t).at(-1);
  const value = before?.value ?? curve.rest;
  const ref: CurveRef = { step: move.step, move: move.move, key: id, channel: curve.channel };
  const at = inRange(t - nth(steps.action, i));
  return {
    ref,
    second: false,
    command: (draft) => {
      moveOf(draft, ref).keys[id] = {
        id,
        at,
        lead: 0,
        ease: { kind: "soft", start: 0, stop: 0 },
        values: { [curve.channel]: value },
      };
      // A transition that reached back over the new point begins at it now, as it did before at the same place.
    },
  };
}
