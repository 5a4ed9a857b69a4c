import type { Beyond, Shape } from "../document/keys";
import type { HandMove, Move, Sequence } from "../document/sequence";
import { reversedEase } from "../ease/ease";
import { nth } from "../math/packed";
import type { Piece } from "../moves/kind";
import { cycleOf, periodOf } from "./spans";

/** A transition waiting for its turn; `to` and the like as in a piece. */
export interface Waiting extends Piece {
  step: string;
  move: string;
  key: string;
  shape?: Shape | undefined;
  /** Pieces of the same channel just before and after it. */
  before?: Waiting | undefined;
  next?: Waiting | undefined;
  /** What it began with, once it is placed. */
  from?: readonly number[] | undefined;
  /** In a repeat that adds up: which cycle it is in, and the first and last piece of the channel in the first one. */
  cycle?: { at: number; first: Waiting; last: Waiting } | undefined;
  /** Goes back to where this one came from. */
  mirrors?: Waiting | undefined;
  goesOn?: Beyond | undefined;
  /** It goes on only where the cycle that begins with this one gains nothing. */
  closedWith?: Waiting | undefined;
  comesFrom?: Beyond | undefined;
  /** The cycle that is gone on with. */
  span?: readonly [number, number] | undefined;
}

/** A piece that waits, all fields at once: then every one is of one make, which engines go through fastest. */
export function waiting(p: Piece, step: string, move: string, key: string): Waiting {
  return {
    channel: p.channel,
    t0: p.t0,
    t1: p.t1,
    ease: p.ease,
    to: p.to,
    by: p.by,
    times: p.times,
    companion: p.companion,
    step,
    move,
    key,
    shape: undefined,
    before: undefined,
    next: undefined,
    from: undefined,
    cycle: undefined,
    mirrors: undefined,
    goesOn: undefined,
    closedWith: undefined,
    comesFrom: undefined,
    span: undefined,
  };
}

/** The way back of a piece: mirrored in time about half of `sum`, to where it came from. */
function wayBack(piece: Waiting, sum: number): Waiting {
  const { shape } = piece;
  return {
    ...piece,
    ...{ by: undefined, times: undefined, next: undefined, before: undefined, from: undefined },
    t0: sum - piece.t1,
    t1: sum - piece.t0,
    ease: reversedEase(piece.ease),
    ...(shape
      ? { shape: shape.kind === "handles" ? { ...shape, leave: shape.arrive, arrive: shape.leave } : shape }
      : {}),
    mirrors: piece,
  };
}

/**
 * Repeats what a ready-made move does, as often as it says, or for good: then what ends last on each channel goes on.
 * What goes by an amount adds up from cycle to cycle, as the same move made again would; with `swing` every other
 * cycle runs back.
 */
export function repeated(move: Move, pieces: readonly Waiting[], sequence: Sequence): Waiting[] {
  const out = [...pieces];
  if (!move.repeat) return out;
  const once = cycleOf(move, sequence);
  const period = periodOf(move, once);
  const { times, way } = move.repeat;
  if (times === null) {
    for (const channel of new Set(pieces.map((p) => p.channel))) {
      const own = pieces.filter((p) => p.channel === channel).sort((a, b) => a.t1 - b.t1);
      const end = own.at(-1);
      if (!end || channel === "orientation") continue;
      end.span = [once.t0, once.t0 + period];
      end.goesOn = way === "swing" ? "swing" : "add";
      if (way !== "swing" && !own.every((p) => p.by !== undefined)) end.closedWith = own[0];
    }
    return out;
  }
  for (let k = 1; k < times; k++) {
    for (const p of pieces) {
      const back = way === "swing" && k % 2 === 1;
      if (back) out.push(wayBack(p, 2 * once.t0 + (k + 1) * period));
      else out.push({ ...p, t0: p.t0 + k * period, t1: p.t1 + k * period });
    }
  }
  return out;
}

/** Repeats a hand-keyed move's arrivals on a channel, and says how the channel goes on beyond them. */
export function goingOn(chain: Waiting[], channel: string, move: HandMove, sequence: Sequence): void {
  const own = chain.filter((p) => p.move === move.id);
  const [first, end] = [own[0] as Waiting, own[own.length - 1] as Waiting];
  if (move.repeat && move.repeat.times !== null) {
    const once = cycleOf(move, sequence);
    const period = periodOf(move, once);
    const { times, way } = move.repeat;
    for (let k = 1; k < times; k++) {
      for (const piece of own) {
        if (way === "swing" && k % 2 === 1) {
          chain.push(wayBack(piece, 2 * once.t0 + (k + 1) * period));
          continue;
        }
        const copy: Waiting = { ...piece, t0: piece.t0 + k * period, t1: piece.t1 + k * period };
        if (way === "add" && typeof piece.to === "number") copy.cycle = { at: k, first, last: end };
        chain.push(copy);
      }
    }
    chain.sort((a, b) => a.t1 - b.t1);
    return;
  }
  const beyond = move.beyond?.[channel];
  if (!beyond || channel === "orientation") return;
  // The way to the first arrival belongs to the cycle; it has none where the channel comes there from beyond.
  const span: readonly [number, number] = [first.t0, end.t1];
  if (beyond.after !== "hold") Object.assign(end, { goesOn: beyond.after, span });
  if (beyond.before !== "hold" && own.length > 1) Object.assign(first, { comesFrom: beyond.before, span });
}

/** Whether a piece that is to go on by its cycle may: one that must gain nothing has to end where it began. */
export function mayGoOn(piece: Waiting, to: number): boolean {
  const first = piece.closedWith;
  if (!first) return true;
  const begin = nth(first.from ?? [Number.NaN], 0);
  return Math.abs(to - begin) < 1e-9 * (1 + Math.abs(begin));
}
