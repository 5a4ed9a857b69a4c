/** How far about a body its surroundings count as the hole that it sits in, as a share of its smaller width. */
export const ABOUT = 0.12;
/** The room that is kept for that, as a multiple: a body's columns may lie a little beside its box. */
export const ROOM = 1.1;
/** From where to where a body lies across the line, mm, both ways. */
export type Span = readonly [readonly [number, number], readonly [number, number]];

/** Stretches across the line in which some body is or close to it, mm, in order and apart. */
export function covered(spans: readonly Span[], k: 0 | 1, cell: number): [number, number][] {
  const wide = spans.map((s): [number, number] => {
    const about = 4 * cell + Math.min(s[0][1] - s[0][0], s[1][1] - s[1][0]) * ABOUT * ROOM;
    return [s[k][0] - about, s[k][1] + about];
  });
  const out: [number, number][] = [];
  for (const [a, b] of wide.sort((p, q) => p[0] - q[0])) {
    const last = out.at(-1);
    if (last && a <= last[1]) last[1] = Math.max(last[1], b);
    else out.push([a, b]);
  }
  return out;
}

export const lengthOf = (list: readonly (readonly [number, number])[]) => list.reduce((sum, [a, b]) => sum + b - a, 0);

/**
 * The lattice's lines one way: those where some body is. What lies empty between bodies is left out, so that small
 * bodies far apart do not make it as large as the way between them.
 */
export class Lane {
  /** Where line 0 of a lattice without gaps would be, mm. */
  readonly from: number;
  /** Of each line there is, its number in a lattice without gaps. */
  readonly place: Float64Array;
  readonly count: number;
  /** Nothing is left out. */
  private readonly whole: boolean;

  constructor(list: readonly (readonly [number, number])[], cell: number) {
    this.from = list[0]?.[0] ?? 0;
    const places: number[] = [];
    for (const [a, b] of list) {
      const low = Math.max((places.at(-1) ?? -1) + 1, Math.floor((a - this.from) / cell));
      const high = Math.ceil((b - this.from) / cell);
      for (let i = low; i <= high; i++) places.push(i);
    }
    this.place = Float64Array.from(places);
    this.count = places.length;
    this.whole = (places.at(-1) ?? 0) === this.count - 1;
  }

  /** The first line at or after a place, of those there are. */
  first(at: number): number {
    if (this.whole) return Math.min(this.count, Math.max(0, Math.ceil(at)));
    let low = 0;
    let high = this.count;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.place[middle] as number) < at) low = middle + 1;
      else high = middle;
    }
    return low;
  }
  /** One past the last line at or before a place. */
  past(at: number): number {
    if (this.whole) return Math.min(this.count, Math.max(0, Math.floor(at) + 1));
    let low = 0;
    let high = this.count;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.place[middle] as number) <= at) low = middle + 1;
      else high = middle;
    }
    return low;
  }
  /** Lines about a stretch, with one to spare on either side: from, and one past the last. */
  range(low: number, high: number): [number, number] {
    return [this.first(Math.floor(low)), this.past(Math.ceil(high))];
  }
}
