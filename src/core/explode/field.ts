import { dot, type Triple } from "../math/triple";
import type { Body } from "./bodies";
import { ABOUT, covered, Lane, lengthOf, ROOM, type Span } from "./lattice";
import { Hits, stretches } from "./stretches";

/** What counts as lying on one another rather than in one another, mm. */
export interface Tolerance {
  /** Overlap along the way that is contact; what overlaps more does so at home already and does not block. */
  contact: number;
}

/** Columns laid through a body on average, and through all of them together at most. */
const COLUMNS_EACH = 5_000;
/** The same where something that stays is looked at in them too, which costs as much again. */
const COLUMNS_EACH_BESIDE = 2_500;
const MOST_COLUMNS = 500_000;
/** Places for columns in the whole lattice at most: small bodies far apart would have it grow beyond all memory. */
const MOST_CELLS = 16_000_000;

/**
 * Bodies cut into columns along one line, on one lattice: for every column the stretches in which it runs through
 * each body. What is next in a column is what a body meets when it is moved along the line, so one pass tells of all
 * bodies what blocks them, both ways; taking a body out updates only its own columns. The blocking relation along a
 * direction is that of R. H. Wilson and J.-C. Latombe, "Geometric reasoning about mechanical assembly" (1994); columns
 * are our way to compute it in about linear time.
 *
 * Interval arrays, sorted by column and then by `lo`: body, cell, lo, hi. `above[i]` is the interval that i meets when
 * its body moves on, `below[i]` when it moves back; -1 for none.
 */
export class WayField {
  readonly cell: number;
  private readonly nu: number;
  private readonly lanes: readonly [Lane, Lane];
  /** Columns in which the fixed body is looked at: 1 where it is; null where there is none. */
  private readonly looked: Uint8Array | null;
  private readonly u: Triple;
  private readonly v: Triple;
  private count = 0;
  private body = new Int32Array(0);
  private at = new Int32Array(0);
  private lo = new Float64Array(0);
  private hi = new Float64Array(0);
  private first = new Int32Array(0);
  /** Whether the front of an interval counts, by sense; see {@link isCore}. It stays so whatever is taken out. */
  private readonly core: [Uint8Array, Uint8Array] = [new Uint8Array(0), new Uint8Array(0)];
  /** What {@link reaches} has told, by body and sense. */
  private readonly past = new Map<number, Map<number, number>>();
  /** How it is with nothing taken out, kept once it was asked for a second time. */
  private whole: Whole | null = null;
  private readonly gone: Uint8Array;
  /** Intervals of each body. */
  private readonly own: Int32Array[];
  private above = new Int32Array(0);
  private below = new Int32Array(0);
  /** How many columns of a body are blocked by which other: [sense][body] -> body -> columns. */
  private readonly blocks: [Map<number, number>[], Map<number, number>[]];
  /** Intervals that have this one as above (below): heads and links of lists. */
  private readonly waiting: [Int32Array, Int32Array] = [new Int32Array(0), new Int32Array(0)];
  private readonly nextWaiting: [Int32Array, Int32Array] = [new Int32Array(0), new Int32Array(0)];

  constructor(
    readonly bodies: readonly Body[],
    readonly line: Triple,
    readonly tolerance: Tolerance,
    mostColumns?: number,
    /**
     * A body that never goes anywhere, by number: it is looked at only where others are, and nothing is asked of it.
     */
    private readonly fixed = -1,
  ) {
    const each = fixed < 0 ? COLUMNS_EACH : COLUMNS_EACH_BESIDE;
    const most = mostColumns ?? Math.min(MOST_COLUMNS, Math.max(50_000, each * bodies.length));
    const other: Triple = Math.abs(line[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0];
    this.u = unitCross(line, other);
    this.v = unitCross(line, this.u);
    const spans = bodies.map((b) => [this.extent(b, this.u), this.extent(b, this.v)] as const);
    const movers = fixed < 0 || bodies.length === 1 ? spans : spans.filter((_, b) => b !== fixed);
    const area = movers.reduce((sum, [a, b]) => sum + Math.max(0, a[1] - a[0]) * Math.max(0, b[1] - b[0]), 0);
    const fine = Math.max(0.02, Math.sqrt(area / most));
    const across = [0, 1].map((k) => covered(movers, k as 0 | 1, fine));
    this.cell = Math.max(fine, Math.sqrt(across.reduce((a, list) => a * lengthOf(list), 1) / MOST_CELLS));
    // With the room that such columns need: what lies far away is never next to anything.
    const [lu, lv] = [0, 1].map((k) => new Lane(covered(movers, k as 0 | 1, this.cell), this.cell)) as [Lane, Lane];
    this.lanes = [lu, lv];
    this.nu = lu.count;
    this.looked = fixed < 0 ? null : this.placesOf(movers);
    this.gone = new Uint8Array(bodies.length);
    this.own = [];
    this.blocks = [bodies.map(() => new Map()), bodies.map(() => new Map())];
    this.cut();
    this.core = [this.cores(0), this.cores(1)];
    this.link();
  }

  /** Columns in which some mover is, or close to it. */
  private placesOf(movers: readonly Span[]): Uint8Array {
    const [lu, lv] = this.lanes;
    const out = new Uint8Array(lu.count * lv.count);
    for (const [[ua, ub], [va, vb]] of movers) {
      const about = 3 * this.cell + Math.min(ub - ua, vb - va) * ABOUT * ROOM;
      const [i0, i1] = lu.range((ua - about - lu.from) / this.cell, (ub + about - lu.from) / this.cell);
      const [j0, j1] = lv.range((va - about - lv.from) / this.cell, (vb + about - lv.from) / this.cell);
      for (let j = j0; j < j1; j++) out.fill(1, j * lu.count + i0, j * lu.count + i1);
    }
    return out;
  }

  private extent(b: Body, axis: Triple): [number, number] {
    let low = Infinity;
    let high = -Infinity;
    for (let c = 0; c < 8; c++) {
      const d = dot([(c & 1 ? b.max : b.min)[0], (c & 2 ? b.max : b.min)[1], (c & 4 ? b.max : b.min)[2]], axis);
      low = Math.min(low, d);
      high = Math.max(high, d);
    }
    return [low, high];
  }

  /** Cuts every body into its columns. */
  private cut(): void {
    const lists = this.bodies.map((body, b) => this.columnsOf(body, b === this.fixed ? this.looked : null));
    const total = lists.reduce((n, l) => n + l.length / 3, 0);
    const cells = this.nu * this.lanes[1].count;
    const first = new Int32Array(cells + 1);
    for (const l of lists)
      for (let i = 0; i < l.length; i += 3) first[(l[i] as number) + 1] = (first[(l[i] as number) + 1] as number) + 1;
    for (let c = 0; c < cells; c++) first[c + 1] = (first[c + 1] as number) + (first[c] as number);
    const fill = first.slice();
    this.body = new Int32Array(total);
    this.at = new Int32Array(total);
    this.lo = new Float64Array(total);
    this.hi = new Float64Array(total);
    lists.forEach((l, b) => {
      for (let i = 0; i < l.length; i += 3) {
        const c = l[i] as number;
        // Put in by lo: columns are short, so moving up a place or two is cheap.
        let k = (fill[c] as number)++;
        const start = first[c] as number;
        while (k > start && (this.lo[k - 1] as number) > (l[i + 1] as number)) {
          this.body[k] = this.body[k - 1] as number;
          this.lo[k] = this.lo[k - 1] as number;
          this.hi[k] = this.hi[k - 1] as number;
          k--;
        }
        this.body[k] = b;
        this.lo[k] = l[i + 1] as number;
        this.hi[k] = l[i + 2] as number;
      }
    });
    for (let c = 0; c < cells; c++) this.at.fill(c, first[c], first[c + 1]);
    this.count = total;
    this.first = first;
    const counts = new Int32Array(this.bodies.length);
    for (let i = 0; i < total; i++) counts[this.body[i] as number] = (counts[this.body[i] as number] as number) + 1;
    for (let b = 0; b < this.bodies.length; b++) this.own.push(new Int32Array(counts[b] as number));
    counts.fill(0);
    for (let i = 0; i < total; i++) {
      const b = this.body[i] as number;
      (this.own[b] as Int32Array)[(counts[b] as number)++] = i;
    }
  }

  /** Columns of one body as a flat list [cell, lo, hi, ...]. */
  private columnsOf(body: Body, looked: Uint8Array | null): number[] {
    const { positions, indices } = body;
    const { u, v, line, cell, nu } = this;
    const [lu, lv] = this.lanes;
    const n = positions.length / 3;
    const pu = new Float64Array(n);
    const pv = new Float64Array(n);
    const pw = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const x = positions[3 * i] as number;
      const y = positions[3 * i + 1] as number;
      const z = positions[3 * i + 2] as number;
      // Column middles are a little off, so that none runs exactly through corners and edges laid on round numbers.
      pu[i] = (x * u[0] + y * u[1] + z * u[2] - lu.from) / cell - 0.50137;
      pv[i] = (x * v[0] + y * v[1] + z * v[2] - lv.from) / cell - 0.50071;
      pw[i] = x * line[0] + y * line[1] + z * line[2];
    }
    // Room in the lattice for this body alone, so that hits can be put in order by counting.
    let [lowU, lowV, highU, highV] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < n; i++) {
      lowU = Math.min(lowU, pu[i] as number);
      highU = Math.max(highU, pu[i] as number);
      lowV = Math.min(lowV, pv[i] as number);
      highV = Math.max(highV, pv[i] as number);
    }
    const [bi, ei] = lu.range(lowU, highU);
    const [bj, ej] = lv.range(lowV, highV);
    const wide = ei - bi;
    const high = ej - bj;
    if (wide <= 0 || high <= 0) return [];
    const hits = new Hits(wide * high);
    for (let t = 0; t < indices.length; t += 3) {
      const a = indices[t] as number;
      const b = indices[t + 1] as number;
      const c = indices[t + 2] as number;
      const au = pu[a] as number;
      const av = pv[a] as number;
      const e1u = (pu[b] as number) - au;
      const e1v = (pv[b] as number) - av;
      const e2u = (pu[c] as number) - au;
      const e2v = (pv[c] as number) - av;
      const det = e1u * e2v - e1v * e2u;
      if (det === 0) continue;
      const ub = pu[b] as number;
      const uc = pu[c] as number;
      const vb = pv[b] as number;
      const vc = pv[c] as number;
      const i0 = lu.first(Math.min(au, ub, uc));
      const i1 = lu.past(Math.max(au, ub, uc));
      const j0 = lv.first(Math.min(av, vb, vc));
      const j1 = lv.past(Math.max(av, vb, vc));
      const aw = pw[a] as number;
      const e1w = (pw[b] as number) - aw;
      const e2w = (pw[c] as number) - aw;
      for (let j = j0; j < j1; j++) {
        const dv = (lv.place[j] as number) - av;
        for (let i = i0; i < i1; i++) {
          if (looked && looked[j * nu + i] === 0) continue;
          const du = (lu.place[i] as number) - au;
          const s = (du * e2v - dv * e2u) / det;
          const r = (dv * e1u - du * e1v) / det;
          if (s < 0 || r < 0 || s + r > 1) continue;
          // u x v = line up to sign; det tells which way the face looks along it.
          hits.add((j - bj) * wide + i - bi, aw + s * e1w + r * e2w, det > 0 ? 1 : -1);
        }
      }
    }
    return stretches(hits, (local) => (bj + Math.floor(local / wide)) * nu + bi + (local % wide));
  }

  /** Puts back everything that was taken out. */
  reset(): void {
    this.gone.fill(0);
    if (this.whole) {
      const { above, below, waiting, next, blocks } = this.whole;
      this.above.set(above);
      this.below.set(below);
      for (const s of [0, 1] as const) {
        this.waiting[s].set(waiting[s]);
        this.nextWaiting[s].set(next[s]);
        this.blocks[s].forEach((map, b) => {
          map.clear();
          for (const [by, columns] of blocks[s][b] ?? []) map.set(by, columns);
        });
      }
      return;
    }
    for (const sense of this.blocks) for (const map of sense) map.clear();
    this.link();
    this.whole = {
      above: this.above.slice(),
      below: this.below.slice(),
      waiting: [this.waiting[0].slice(), this.waiting[1].slice()],
      next: [this.nextWaiting[0].slice(), this.nextWaiting[1].slice()],
      blocks: [this.blocks[0].map((m) => [...m]), this.blocks[1].map((m) => [...m])],
    };
  }

  /** Finds what each interval meets, both ways. */
  private link(): void {
    const n = this.count;
    this.above = new Int32Array(n).fill(-1);
    this.below = new Int32Array(n).fill(-1);
    for (const sense of [0, 1] as const) {
      this.waiting[sense] = new Int32Array(n).fill(-1);
      this.nextWaiting[sense] = new Int32Array(n).fill(-1);
    }
    for (let i = 0; i < n; i++) {
      if (this.core[0][i] === 0) this.above[i] = -2;
      else this.await(i, 0);
      if (this.core[1][i] === 0) this.below[i] = -2;
      else this.await(i, 1);
    }
  }

  private cores(sense: 0 | 1): Uint8Array {
    const out = new Uint8Array(this.count);
    for (let i = 0; i < this.count; i++) out[i] = this.body[i] !== this.fixed && this.isCore(i, sense) ? 1 : 0;
    return out;
  }

  /**
   * Whether the front of an interval lies inside its body's face, not on its rim, where the facets of a shaft and of
   * its hole differ. Bodies only a column or two across have no inside; for them all counts.
   */
  private isCore(i: number, sense: 0 | 1): boolean {
    const b = this.body[i] as number;
    if ((this.own[b] as Int32Array).length < 24) return true;
    const w = sense === 0 ? (this.hi[i] as number) - this.cell * 0.5 : (this.lo[i] as number) + this.cell * 0.5;
    const c = this.at[i] as number;
    return (
      this.solid(c - 1, b, w) &&
      this.solid(c + 1, b, w) &&
      this.solid(c - this.nu, b, w) &&
      this.solid(c + this.nu, b, w)
    );
  }

  private solid(c: number, b: number, w: number): boolean {
    if (c < 0 || c + 1 >= this.first.length) return false;
    for (let k = this.first[c] as number; k < (this.first[c + 1] as number); k++) {
      if (this.body[k] === b && (this.lo[k] as number) - this.cell <= w && (this.hi[k] as number) + this.cell >= w)
        return true;
    }
    return false;
  }

  /** Whether two intervals of a column are in one another at home, which tolerance lets pass. */
  private inOneAnother(i: number, k: number): boolean {
    const overlap =
      Math.min(this.hi[i] as number, this.hi[k] as number) - Math.max(this.lo[i] as number, this.lo[k] as number);
    if (overlap <= this.tolerance.contact) return false;
    // As a thread lies in its nut. What reaches into another only with its end is pressed against it.
    const shorter = Math.min(
      (this.hi[i] as number) - (this.lo[i] as number),
      (this.hi[k] as number) - (this.lo[k] as number),
    );
    return overlap >= shorter / 2;
  }

  /** Finds what interval i meets next and has it wait there. */
  private await(i: number, sense: 0 | 1): void {
    const b = this.body[i] as number;
    const c = this.at[i] as number;
    const step = sense === 0 ? 1 : -1;
    const end = sense === 0 ? (this.first[c + 1] as number) : (this.first[c] as number) - 1;
    let found = -1;
    for (let k = i + step; k !== end; k += step) {
      const other = this.body[k] as number;
      if (other === b || this.gone[other] || this.inOneAnother(i, k)) continue;
      // Where one begins within the other's end, contact decides by their middles.
      const ahead =
        sense === 0
          ? (this.lo[k] as number) + (this.hi[k] as number) > (this.lo[i] as number) + (this.hi[i] as number)
          : (this.lo[k] as number) + (this.hi[k] as number) < (this.lo[i] as number) + (this.hi[i] as number);
      if (!ahead) continue;
      found = k;
      break;
    }
    (sense === 0 ? this.above : this.below)[i] = found;
    if (found < 0) return;
    this.nextWaiting[sense][i] = this.waiting[sense][found] as number;
    this.waiting[sense][found] = i;
    const blocks = (this.blocks[sense] as Map<number, number>[])[b] as Map<number, number>;
    const by = this.body[found] as number;
    blocks.set(by, (blocks.get(by) ?? 0) + 1);
  }

  /** What blocks a body on its way on (0) or back (1): bodies with the number of columns they block, the most first. */
  blockers(body: number, sense: 0 | 1): { body: number; columns: number }[] {
    return [...((this.blocks[sense][body] as Map<number, number>) ?? [])]
      .map(([b, columns]) => ({ body: b, columns }))
      .sort((a, b) => b.columns - a.columns);
  }

  isFree(body: number, sense: 0 | 1): boolean {
    return (this.blocks[sense][body] as Map<number, number>).size === 0;
  }

  /** The body that this one meets first on its way, -1 for none. */
  nearest(body: number, sense: 0 | 1): number {
    let least = Infinity;
    let found = -1;
    for (const i of this.own[body] as Int32Array) {
      const k = (sense === 0 ? this.above : this.below)[i] as number;
      if (k < 0) continue;
      const gap =
        sense === 0 ? (this.lo[k] as number) - (this.hi[i] as number) : (this.lo[i] as number) - (this.hi[k] as number);
      if (gap >= least - 1e-6) continue;
      least = gap;
      found = this.body[k] as number;
    }
    return found;
  }

  /** How far a body can go before it meets something, mm; infinity when it meets nothing. */
  travel(body: number, sense: 0 | 1): number {
    let least = Infinity;
    for (const i of this.own[body] as Int32Array) {
      const k = (sense === 0 ? this.above : this.below)[i] as number;
      if (k < 0) continue;
      least = Math.min(
        least,
        sense === 0 ? (this.lo[k] as number) - (this.hi[i] as number) : (this.lo[i] as number) - (this.hi[k] as number),
      );
    }
    return Math.max(0, least);
  }

  /**
   * How far a body must go until it is past each other body, mm: those in its own columns and those close about it, as
   * the walls of the hole that it sits in. Negative where it is past already, by so much.
   */
  reaches(body: number, sense: 0 | 1): Map<number, number> {
    const key = 2 * body + sense;
    let all = this.past.get(key);
    if (!all) {
      all = this.reachesOfAll(body, sense);
      this.past.set(key, all);
    }
    const out = new Map<number, number>();
    for (const [other, past] of all) if (!this.gone[other]) out.set(other, past);
    return out;
  }

  /** The same, whatever was taken out: how far others reach does not depend on it. */
  private reachesOfAll(body: number, sense: 0 | 1): Map<number, number> {
    const out = new Map<number, number>();
    const { nu } = this;
    const rows = (this.first.length - 1) / nu;
    let [i0, i1, j0, j1] = [nu, -1, rows, -1];
    let edge = sense === 0 ? Infinity : -Infinity;
    for (const i of this.own[body] as Int32Array) {
      const c = this.at[i] as number;
      const u = c % nu;
      const v = (c - u) / nu;
      i0 = Math.min(i0, u);
      i1 = Math.max(i1, u);
      j0 = Math.min(j0, v);
      j1 = Math.max(j1, v);
      edge = sense === 0 ? Math.min(edge, this.lo[i] as number) : Math.max(edge, this.hi[i] as number);
    }
    const about = 2 + Math.ceil(Math.min(i1 - i0, j1 - j0) * ABOUT);
    for (let v = Math.max(0, j0 - about); v <= Math.min(rows - 1, j1 + about); v++) {
      for (let u = Math.max(0, i0 - about); u <= Math.min(nu - 1, i1 + about); u++) {
        const c = v * nu + u;
        for (let k = this.first[c] as number; k < (this.first[c + 1] as number); k++) {
          const other = this.body[k] as number;
          if (other === body) continue;
          const past = sense === 0 ? (this.hi[k] as number) - edge : edge - (this.lo[k] as number);
          if (past > (out.get(other) ?? -Infinity)) out.set(other, past);
        }
      }
    }
    return out;
  }

  /** Places for columns in the whole lattice. */
  get cells(): number {
    return this.first.length - 1;
  }

  /** Number of columns of a body. */
  size(body: number): number {
    return (this.own[body] as Int32Array).length;
  }

  /** Takes a body out. @returns bodies that met it and may now be free */
  remove(body: number): Set<number> {
    const touched = new Set<number>();
    this.gone[body] = 1;
    for (const sense of [0, 1] as const) {
      const next = sense === 0 ? this.above : this.below;
      for (const i of this.own[body] as Int32Array) {
        let w = this.waiting[sense][i] as number;
        this.waiting[sense][i] = -1;
        while (w >= 0) {
          const after = this.nextWaiting[sense][w] as number;
          const b = this.body[w] as number;
          if (!this.gone[b] && next[w] === i) {
            const blocks = this.blocks[sense][b] as Map<number, number>;
            const left = (blocks.get(body) ?? 1) - 1;
            if (left > 0) blocks.set(body, left);
            else blocks.delete(body);
            touched.add(b);
            this.await(w, sense);
          }
          w = after;
        }
      }
    }
    return touched;
  }
}

/** What each interval meets, as WayField keeps it. */
interface Whole {
  above: Int32Array;
  below: Int32Array;
  waiting: [Int32Array, Int32Array];
  next: [Int32Array, Int32Array];
  blocks: [[number, number][][], [number, number][][]];
}

function unitCross(a: readonly number[], b: readonly number[]): Triple {
  const [ax, ay, az] = a as Triple;
  const [bx, by, bz] = b as Triple;
  const c: Triple = [ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx];
  const n = Math.hypot(...c);
  return [c[0] / n, c[1] / n, c[2] / n];
}
