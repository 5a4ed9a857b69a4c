import { type Target, targetId } from "../../document/sequence";
import { EASE_STRIDE, easeAt, easeSpeedAt } from "../../ease/ease";
import { nth } from "../../math/packed";
import { beyondNumber, phaseAt, placedBeyond } from "../../program/beyond";
import type { Placed } from "../../program/layout";
import type { Program } from "../../program/program";
import { TICKS_PER_SECOND } from "../../time/time";

/** A sudden change of speed of a channel. */
export interface Jump {
  /** Ticks in the sequence. */
  at: number;
  /** Speed just before and just after, units a second. */
  before: number;
  after: number;
}

/**
 * Reads one channel of a compiled sequence at any time, without sampling all the others: its value and its speed, the
 * same numbers as {@link sample} gives. Made anew after every edit.
 */
export class ChannelReader {
  private readonly rows: Placed[];
  private readonly starts: Float64Array;
  private readonly rest: number;

  constructor(
    private readonly program: Program,
    readonly target: Target,
    readonly channel: string,
  ) {
    this.rows = (program.placed.get(targetId(target)) ?? []).filter((r) => r.channel === channel);
    this.starts = Float64Array.from(this.rows, (r) => nth(program.steps.action, r.position) + r.t0);
    const c = program.channelOf(target, channel);
    this.rest = c >= 0 ? nth(program.scalars.rest, c) : 0;
  }

  private shift(row: Placed): number {
    return nth(this.program.steps.action, row.position);
  }

  /** The last row that has begun at a time of the sequence, or -1. */
  private find(t: number): number {
    let lo = 0;
    let hi = this.starts.length;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (nth(this.starts, mid) <= t) lo = mid + 1;
      else hi = mid;
    }
    return lo - 1;
  }

  /** Value at a time of the sequence, ticks. */
  at(t: number): number {
    const i = this.find(t);
    const row = this.rows[i];
    if (row) {
      const own = t - this.shift(row);
      if (own < row.t1)
        return (
          nth(row.from, 0) +
          (nth(row.to, 0) - nth(row.from, 0)) *
            easeAt(this.program.easeTable, row.ease * EASE_STRIDE, (own - row.t0) / (row.t1 - row.t0))
        );
      if (row.after) return placedBeyond(this.rows, i, own - row.t1, this.program.easeTable);
    }
    const next = this.rows[i + 1];
    if (next?.before && next.span) return this.before(i + 1, next, t);
    return row ? nth(row.to, 0) : this.rest;
  }

  /** Value before a row that its channel comes to from beyond. */
  private before(i: number, row: Placed, t: number): number {
    const [span0, span1] = row.span as readonly [number, number];
    const away = this.shift(row) + span0 - t;
    const first = nth(row.to, 0);
    if (row.before === "straight") {
      const next = this.rows[i + 1];
      if (!next || next.position !== row.position || next.t0 !== span0 || next.t1 <= next.t0) return first;
      return (
        first -
        ((nth(next.to, 0) - nth(next.from, 0)) *
          easeSpeedAt(this.program.easeTable, next.ease * EASE_STRIDE, 0) *
          away) /
          (next.t1 - next.t0)
      );
    }
    if (span1 <= span0) return first;
    const phase = { t: 0, cycles: 0 };
    phaseAt(beyondNumber(row.before), false, away, span0, span1, phase);
    const within = this.at(this.shift(row) + Math.min(phase.t, span1 - 1e-3));
    if (row.before !== "add") return within;
    return within + phase.cycles * (this.at(this.shift(row) + span1 - 1e-3) - first);
  }

  /** Speed at a time, units a second, told on one side of it. */
  speed(t: number, side: "before" | "after" = "after"): number {
    const i = side === "after" ? this.find(t) : this.find(t - 0.5);
    const row = this.rows[i];
    if (row) {
      const own = t - this.shift(row);
      const length = row.t1 - row.t0;
      if (length > 0 && (side === "after" ? own < row.t1 : own <= row.t1)) {
        const u = Math.min(1, Math.max(0, (own - row.t0) / length));
        return (
          ((nth(row.to, 0) - nth(row.from, 0)) *
            easeSpeedAt(this.program.easeTable, row.ease * EASE_STRIDE, u) *
            TICKS_PER_SECOND) /
          length
        );
      }
      if (!row.after && !this.rows[i + 1]?.before) return 0;
    } else if (!this.rows[0]?.before) return 0;
    const h = TICKS_PER_SECOND / 10_000;
    return side === "after"
      ? ((this.at(t + h) - this.at(t)) / h) * TICKS_PER_SECOND
      : ((this.at(t) - this.at(t - h)) / h) * TICKS_PER_SECOND;
  }

  /** Change of speed at a time, units a second squared: over a hundredth of a second. */
  acceleration(t: number): number {
    const h = TICKS_PER_SECOND / 200;
    return ((this.speed(t + h, "before") - this.speed(t - h, "after")) / (2 * h)) * TICKS_PER_SECOND;
  }

  /** Times at which something begins or ends, ticks in the sequence, in order. */
  edges(): readonly number[] {
    this.known ??= this.findEdges();
    return this.known;
  }
  private known: readonly number[] | null = null;

  private findEdges(): number[] {
    const out = new Set<number>();
    for (const r of this.rows) out.add(this.shift(r) + r.t0).add(this.shift(r) + r.t1);
    return [...out].sort((a, b) => a - b);
  }

  /** Moments at which the speed jumps by more than a share of the channel's highest speed; in order of time. */
  jumps(share = 0.05): Jump[] {
    const edges = this.edges();
    const speeds = edges.map((at) => ({ at, before: this.speed(at, "before"), after: this.speed(at, "after") }));
    const top = speeds.reduce((m, s) => Math.max(m, Math.abs(s.before), Math.abs(s.after)), this.top());
    return speeds.filter((s) => Math.abs(s.after - s.before) > share * top && Math.abs(s.after - s.before) > 1e-6);
  }

  /** Highest speed at a few moments of every transition. */
  private top(): number {
    let top = 0;
    for (const r of this.rows)
      for (const u of [0.2, 0.5, 0.8])
        top = Math.max(top, Math.abs(this.speed(this.shift(r) + r.t0 + (r.t1 - r.t0) * u)));
    return top;
  }
}
