/**
 * Sorted transitions of many channels in flat arrays, with room to change one channel without touching the rest.
 *
 *   channel c owns the rows [offset[c], offset[c] + count[c]), room for capacity[c]
 *   row i:  step[i] (position of its step), t0[i]..t1[i] (ticks in that step's action), ease[i],
 *           v0[i*w .. ], v1[i*w .. ]  (w numbers: 1 for a plain channel, 4 for an orientation)
 *
 * A channel that outgrows its room moves to the end; the arrays double when full. Times stay relative to the step, so
 * lengthening a still changes no row.
 */
export interface Segment {
  step: number;
  t0: number;
  t1: number;
  ease: number;
  value: readonly number[];
}

export class SegmentTable {
  offset = new Int32Array(0);
  count = new Int32Array(0);
  private capacity = new Int32Array(0);
  step = new Int32Array(64);
  t0 = new Float64Array(64);
  t1 = new Float64Array(64);
  ease = new Int32Array(64);
  v0: Float64Array;
  v1: Float64Array;
  /** Value before the first transition, `width` numbers a channel. */
  rest: Float64Array;
  /** Row used last, a channel: a guess that may save the search, never more. */
  readonly hint: { rows: Int32Array };
  channels = 0;
  private used = 0;

  constructor(readonly width: 1 | 4) {
    this.v0 = new Float64Array(64 * width);
    this.v1 = new Float64Array(64 * width);
    this.rest = new Float64Array(0);
    this.hint = { rows: new Int32Array(0) };
  }

  /** Adds a channel that rests at `rest`. @returns its number. */
  addChannel(rest: readonly number[]): number {
    const c = this.channels++;
    if (c >= this.offset.length) {
      const size = Math.max(16, c * 2);
      this.offset = grown(this.offset, size);
      this.count = grown(this.count, size);
      this.capacity = grown(this.capacity, size);
      this.hint.rows = grown(this.hint.rows, size);
      const rests = new Float64Array(size * this.width);
      rests.set(this.rest);
      this.rest = rests;
    }
    this.setRest(c, rest);
    return c;
  }

  /** Changes where a channel rests. The caller sets its segments again afterwards. */
  setRest(channel: number, rest: readonly number[]): void {
    for (let k = 0; k < this.width; k++) this.rest[channel * this.width + k] = rest[k] as number;
  }

  /** Replaces a channel's transitions (sorted by step, then time); each starts from the value the one before left. */
  set(channel: number, segments: readonly Segment[]): void {
    const n = segments.length;
    if (n > (this.capacity[channel] as number)) {
      const room = Math.max(4, Math.ceil(n * 1.5));
      this.reserve(this.used + room);
      this.offset[channel] = this.used;
      this.capacity[channel] = room;
      this.used += room;
    }
    this.count[channel] = n;
    this.hint.rows[channel] = 0;
    const w = this.width;
    const base = this.offset[channel] as number;
    for (let i = 0; i < n; i++) {
      const s = segments[i] as Segment;
      const row = base + i;
      this.step[row] = s.step;
      this.t0[row] = s.t0;
      this.t1[row] = s.t1;
      this.ease[row] = s.ease;
      for (let k = 0; k < w; k++) {
        this.v0[row * w + k] = (i === 0 ? this.rest[channel * w + k] : this.v1[(row - 1) * w + k]) as number;
        this.v1[row * w + k] = s.value[k] as number;
      }
    }
  }

  /** The last row of a channel that has begun at (step, t), or -1 while it still rests. */
  find(channel: number, step: number, t: number): number {
    const n = this.count[channel] as number;
    if (n === 0) return -1;
    const base = this.offset[channel] as number;
    const stepOf = this.step;
    const t0 = this.t0;
    const hint = base + (this.hint.rows[channel] as number);
    if (begun(stepOf, t0, hint, step, t) && (hint + 1 >= base + n || !begun(stepOf, t0, hint + 1, step, t))) return hint;
    let lo = 0;
    let hi = n;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (begun(stepOf, t0, base + mid, step, t)) lo = mid + 1;
      else hi = mid;
    }
    if (lo === 0) return -1;
    this.hint.rows[channel] = lo - 1;
    return base + lo - 1;
  }

  private reserve(rows: number): void {
    if (rows <= this.step.length) return;
    const size = Math.max(rows, this.step.length * 2);
    this.step = grown(this.step, size);
    this.t0 = grown(this.t0, size);
    this.t1 = grown(this.t1, size);
    this.ease = grown(this.ease, size);
    this.v0 = grown(this.v0, size * this.width);
    this.v1 = grown(this.v1, size * this.width);
  }
}

function begun(step: Int32Array, t0: Float64Array, row: number, k: number, t: number): boolean {
  const s = step[row] as number;
  return s < k || (s === k && (t0[row] as number) <= t);
}

function grown<T extends Int32Array | Float64Array>(old: T, size: number): T {
  const next = new (old.constructor as new (n: number) => T)(size);
  next.set(old);
  return next;
}
