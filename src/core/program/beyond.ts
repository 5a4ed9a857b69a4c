import { BEYOND, type Beyond } from "../document/keys";
import { EASE_STRIDE, easeAt, easeSpeedAt } from "../ease/ease";
import type { Placed } from "./layout";
import type { TrackTable } from "./tracks";

/**
 * What channels do before their first arrival and after their last, where they do not hold: carry on straight,
 * repeat the cycle, repeat and add up what it gains, or go back and forth.
 */
export const beyondNumber = (kind: Beyond | undefined): number => (kind ? BEYOND.indexOf(kind) : 0);
const STRAIGHT = 1;
const REPEAT = 2;
const ADD = 3;

/** Where in its cycle something is that runs on: the time in the cycle and the number of cycles gone through. */
export interface Phase {
  t: number;
  cycles: number;
}

/**
 * Where in its cycle something is, `away` ticks after its end (or before its start).
 * @param out written over
 */
export function phaseAt(kind: number, after: boolean, away: number, span0: number, span1: number, out: Phase): void {
  const period = span1 - span0;
  const whole = Math.floor(away / period);
  const left = away - whole * period;
  out.cycles = after ? whole + 1 : -(whole + 1);
  if (kind === REPEAT || kind === ADD) out.t = after ? span0 + left : span1 - left;
  else out.t = (whole % 2 === 0) === after ? span1 - left : span0 + left;
}

const _phase: Phase = { t: 0, cycles: 0 };

/**
 * Samples a group beyond its row `i` (the last that has begun, -1 for none). Allocates nothing.
 * @param actions start of each step's action, ticks in the sequence
 * @returns false when it simply holds there
 */
export function sampleBeyond(
  table: TrackTable,
  eases: Float64Array,
  actions: Float64Array,
  g: number,
  i: number,
  ticks: number,
  out: Float64Array,
): boolean {
  const base = table.offset[g] as number;
  const w = table.width[g] as number;
  const m = table.memberAt[g] as number;
  const values = table.valueAt[g] as number;
  const after = i >= 0 && (table.after[base + i] as number) > 0;
  if (!after && !(i + 1 < (table.count[g] as number) && (table.before[base + i + 1] as number) > 0)) return false;
  const own = after ? i : i + 1;
  const row = base + own;
  const kind = (after ? table.after[row] : table.before[row]) as number;
  const start = actions[table.step[row] as number] as number;
  const span0 = table.span0[row] as number;
  const span1 = table.span1[row] as number;
  // A cycle may end with a rest, and begin with one.
  const away = after ? ticks - start - (kind === STRAIGHT ? (table.t1[row] as number) : span1) : start + span0 - ticks;
  if (kind === STRAIGHT) {
    // After: the speed at the end of this row; before: that at the start of the row behind the first arrival.
    const r = after ? row : row + 1;
    const length = (table.t1[r] as number) - (table.t0[r] as number);
    const meets =
      after || (own + 1 < (table.count[g] as number) && table.step[r] === table.step[row] && table.t0[r] === span0);
    const speed =
      meets && length > 0 ? easeSpeedAt(eases, (table.ease[r] as number) * EASE_STRIDE, after ? 1 : 0) / length : 0;
    const from = values + (r - base) * w;
    for (let k = 0; k < w; k++) {
      const slope = meets ? ((table.v1[from + k] as number) - (table.v0[from + k] as number)) * speed : 0;
      out[table.members[m + k] as number] = (table.v1[values + own * w + k] as number) + slope * (after ? away : -away);
    }
    return true;
  }
  if (span1 <= span0 || away < 0) return false;
  phaseAt(kind, after, away, span0, span1, _phase);
  const { t, cycles } = _phase;
  const mate = own + (table.mate[row] as number);
  const first = after ? mate : own;
  const last = after ? own : mate;
  let lo = first;
  let hi = last;
  while (lo < hi) {
    const mid = (lo + hi + 1) >> 1;
    if ((table.t0[base + mid] as number) <= t) lo = mid;
    else hi = mid - 1;
  }
  const r = base + lo;
  const at = values + lo * w;
  const length = (table.t1[r] as number) - (table.t0[r] as number);
  const u =
    t >= (table.t1[r] as number)
      ? 1
      : t <= (table.t0[r] as number)
        ? 0
        : easeAt(eases, (table.ease[r] as number) * EASE_STRIDE, (t - (table.t0[r] as number)) / length);
  const leads = (table.t0[base + first] as number) < (table.t1[base + first] as number);
  for (let k = 0; k < w; k++) {
    const from = table.v0[at + k] as number;
    let v = u === 1 ? (table.v1[at + k] as number) : from + ((table.v1[at + k] as number) - from) * u;
    if (kind === ADD) {
      const begin = values + first * w + k;
      v +=
        cycles *
        ((table.v1[values + last * w + k] as number) - ((leads ? table.v0[begin] : table.v1[begin]) as number));
    }
    out[table.members[m + k] as number] = v;
  }
  return true;
}

/**
 * The same for one channel while it is being placed: its value `away` ticks after the end of its last row, a number.
 */
export function placedBeyond(rows: readonly Placed[], at: number, away: number, eases: Float64Array): number {
  const row = rows[at] as Placed;
  const end = row.to[0] as number;
  const kind = beyondNumber(row.after);
  const length = row.t1 - row.t0;
  if (kind === STRAIGHT) {
    const speed = length > 0 ? easeSpeedAt(eases, row.ease * EASE_STRIDE, 1) / length : 0;
    return end + (end - (row.from[0] as number)) * speed * away;
  }
  const [span0, span1] = row.span ?? [0, 0];
  const behind = away - (span1 - row.t1);
  if (kind === 0 || span1 <= span0 || behind < 0) return end;
  let at0 = at;
  for (
    let r = rows[at0 - 1];
    r && r.position === row.position && r.move === row.move && r.t1 >= span0;
    r = rows[at0 - 1]
  )
    at0--;
  const first = rows[at0] as Placed;
  phaseAt(kind, true, behind, span0, span1, _phase);
  const { t, cycles } = _phase;
  let value = first.t0 < first.t1 ? (first.from[0] as number) : (first.to[0] as number);
  const begin = value;
  for (let i = at; i >= at0; i--) {
    const r = rows[i] as Placed;
    if (r.t0 > t) continue;
    const [a, b] = [r.from[0] as number, r.to[0] as number];
    value = t >= r.t1 ? b : a + (b - a) * easeAt(eases, r.ease * EASE_STRIDE, (t - r.t0) / (r.t1 - r.t0));
    break;
  }
  return value + (kind === ADD ? cycles * (end - begin) : 0);
}
