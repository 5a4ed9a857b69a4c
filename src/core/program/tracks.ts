/**
 * Sorted transitions of many channels in flat arrays. Channels of one thing that arrive together share one *group*:
 * one search and one ease serve them all, which is what makes sampling fast.
 *
 *   group g owns rows [offset[g], offset[g] + count[g]) and `width[g]` channels, members[memberAt[g] ...]
 *   row i:   step[i] (position of its step), t0[i]..t1[i] (ticks in that step's action), ease[i]
 *   values:  v0/v1 of row r of group g, member k, at valueAt[g] + (r - offset[g]) * width[g] + k
 *
 * A group that outgrows its room moves to the end of the arrays. Times stay relative to the step, so lengthening a
 * still changes no row. An orientation is a group of width 4 whose one member is the orientation's number.
 */
import { nth } from "../math/packed";
export interface Row {
  step: number;
  t0: number;
  t1: number;
  ease: number;
  /** How it goes on after this row, or before it, as an index into BEYOND; 0 holds. */
  after: number;
  before: number;
  /** The cycle that is gone on with, ticks in the step's action, and how many rows away its other end is. */
  span0: number;
  span1: number;
  mate: number;
}

export interface GroupSpec {
  members: readonly number[];
  rows: readonly Row[];
  /** rows x width: the value each row begins with. */
  starts: readonly number[];
  /** rows x width: the value each row arrives at. */
  values: readonly number[];
  /** width: the value before the first row. */
  rest: readonly number[];
}

export class TrackTable {
  groups = 0;
  offset = new Int32Array(16);
  count = new Int32Array(16);
  width = new Int32Array(16);
  memberAt = new Int32Array(16);
  valueAt = new Int32Array(16);
  private capacity = new Int32Array(16);
  private room = new Int32Array(16);
  /** Row found last, relative to the group: a guess that may save the search, never more. */
  private hint = new Int32Array(16);
  members = new Int32Array(16);
  step = new Int32Array(64);
  t0 = new Float64Array(64);
  t1 = new Float64Array(64);
  ease = new Int32Array(64);
  after = new Int8Array(64);
  before = new Int8Array(64);
  span0 = new Float64Array(64);
  span1 = new Float64Array(64);
  mate = new Int32Array(64);
  /** 1 for groups with a row that does not hold beyond its end or its beginning. */
  open = new Uint8Array(16);
  v0 = new Float64Array(256);
  v1 = new Float64Array(256);
  rest = new Float64Array(16);
  private restCount = 0;
  private usedRows = 0;
  private usedValues = 0;
  private usedMembers = 0;
  private readonly free: number[] = [];
  /** Grows with every change, so that readers know when to look again. */
  version = 0;

  /** Numbers a channel holds: 1, or 4 for an orientation. */
  constructor(readonly stride: 1 | 4) {}

  get channels(): number {
    return this.restCount / this.stride;
  }
  /** Rows set aside so far, used or not; tells when compiling anew would be worth it. */
  get rowsTaken(): number {
    return this.usedRows;
  }

  /** Adds a channel that rests at `rest` (`stride` numbers). @returns its number. */
  addChannel(rest: readonly number[]): number {
    if (this.restCount + this.stride > this.rest.length) this.rest = grown(this.rest, this.rest.length * 2);
    for (const v of rest) this.rest[this.restCount++] = v;
    this.version++;
    return this.restCount / this.stride - 1;
  }

  /** The groups in use that have a channel besides those that are left out. @param without 1 for each such channel */
  groupsBut(without: Uint8Array): Int32Array {
    const out: number[] = [];
    for (let g = 0; g < this.groups; g++) {
      if (this.count[g] === 0) continue;
      const first = nth(this.memberAt, g);
      // An orientation is one channel, however many numbers it has.
      const members = this.stride === 1 ? nth(this.width, g) : 1;
      let all = true;
      for (let k = 0; k < members; k++) all &&= without[nth(this.members, first + k)] === 1;
      if (!all) out.push(g);
    }
    return Int32Array.from(out);
  }

  /** Replaces the groups of one thing. @returns the numbers of its groups now. */
  replace(old: readonly number[], specs: readonly GroupSpec[]): number[] {
    this.version++;
    const reusable = [...old];
    const made = specs.map((spec) => this.write(reusable.pop() ?? this.free.pop() ?? this.newGroup(), spec));
    for (const g of reusable) {
      this.count[g] = 0;
      this.free.push(g);
    }
    return made;
  }

  private newGroup(): number {
    const g = this.groups++;
    if (g >= this.offset.length) {
      const size = g * 2;
      for (const name of ["offset", "count", "width", "memberAt", "valueAt", "capacity", "room", "hint"] as const)
        this[name] = grown(this[name], size);
      this.open = grown(this.open, size);
    }
    return g;
  }

  private write(g: number, spec: GroupSpec): number {
    const n = spec.rows.length;
    const width = spec.rest.length;
    if (n > nth(this.capacity, g)) {
      const room = Math.max(4, Math.ceil(n * 1.5));
      this.offset[g] = this.usedRows;
      this.capacity[g] = room;
      this.usedRows += room;
      if (this.usedRows > this.step.length) {
        const size = Math.max(this.usedRows, this.step.length * 2);
        this.step = grown(this.step, size);
        this.t0 = grown(this.t0, size);
        this.t1 = grown(this.t1, size);
        this.ease = grown(this.ease, size);
        this.after = grown(this.after, size);
        this.before = grown(this.before, size);
        this.span0 = grown(this.span0, size);
        this.span1 = grown(this.span1, size);
        this.mate = grown(this.mate, size);
      }
    }
    const need = nth(this.capacity, g) * width;
    if (need > nth(this.room, g)) {
      this.valueAt[g] = this.usedValues;
      this.room[g] = need;
      this.usedValues += need;
      if (this.usedValues > this.v0.length) {
        const size = Math.max(this.usedValues, this.v0.length * 2);
        this.v0 = grown(this.v0, size);
        this.v1 = grown(this.v1, size);
      }
    }
    if (spec.members.length > nth(this.width, g) || this.usedMembers === 0) {
      this.memberAt[g] = this.usedMembers;
      this.usedMembers += spec.members.length;
      if (this.usedMembers > this.members.length)
        this.members = grown(this.members, Math.max(this.usedMembers, this.members.length * 2));
    }
    this.members.set(spec.members, nth(this.memberAt, g));
    this.width[g] = width;
    this.count[g] = n;
    this.hint[g] = 0;
    const base = nth(this.offset, g);
    const at = nth(this.valueAt, g);
    this.open[g] = 0;
    for (let i = 0; i < n; i++) {
      const row = spec.rows[i] as Row;
      this.after[base + i] = row.after;
      this.before[base + i] = row.before;
      this.span0[base + i] = row.span0;
      this.span1[base + i] = row.span1;
      this.mate[base + i] = row.mate;
      if (row.after + row.before > 0) this.open[g] = 1;
      this.step[base + i] = row.step;
      this.t0[base + i] = row.t0;
      this.t1[base + i] = row.t1;
      this.ease[base + i] = row.ease;
      for (let k = 0; k < width; k++) {
        this.v0[at + i * width + k] = nth(spec.starts, i * width + k);
        this.v1[at + i * width + k] = nth(spec.values, i * width + k);
      }
    }
    return g;
  }

  /** The last row of a group, counted from its first, that has begun at (step, t); -1 while it still rests. */
  find(g: number, step: number, t: number): number {
    const n = this.count[g] as number;
    const base = this.offset[g] as number;
    const steps = this.step;
    const t0 = this.t0;
    const guess = this.hint[g] as number;
    let s = steps[base + guess] as number;
    let lo = 0;
    let hi = n;
    if (s < step || (s === step && (t0[base + guess] as number) <= t)) {
      lo = guess + 1;
      if (lo === n) return guess;
      s = steps[base + lo] as number;
      if (s > step || (s === step && (t0[base + lo] as number) > t)) return guess;
    } else hi = guess;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      s = steps[base + mid] as number;
      if (s < step || (s === step && (t0[base + mid] as number) <= t)) lo = mid + 1;
      else hi = mid;
    }
    this.hint[g] = lo === 0 ? 0 : lo - 1;
    return lo - 1;
  }
}

function grown<T extends Int32Array | Float64Array | Int8Array | Uint8Array>(old: T, size: number): T {
  const next = new (old.constructor as new (n: number) => T)(size);
  next.set(old);
  return next;
}
