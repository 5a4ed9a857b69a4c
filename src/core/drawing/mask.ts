import type { Geometry } from "../geometry/geometry";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { type Projection, WIDE } from "./projection";

/** Side of a cell, units of the drawing. */
const CELL = 2.5;

/** Where in a picture something must not be covered: cells that a triangle touches are marked, however little. */
export class Mask {
  readonly wide: number;
  readonly high: number;
  private readonly cells: Uint8Array;
  /** Squared distance of each cell to the nearest marked one, in cells; made when it is first asked for. */
  private away: Float32Array | null = null;

  constructor(picture: { high: number }) {
    this.wide = Math.ceil(WIDE / CELL);
    this.high = Math.ceil(picture.high / CELL);
    this.cells = new Uint8Array(this.wide * this.high);
  }

  /** Marks what a geometry covers where it stands. */
  add(g: Geometry, world: ArrayLike<number>, view: Projection): void {
    const { positions: p, indices } = g;
    const at = new Float64Array(p.length);
    for (let i = 0; i < p.length; i += 3) {
      const [x, y, z] = transformPoint(world, p.subarray(i, i + 3));
      if (!view.project(x, y, z, at, i)) at[i] = Number.NaN;
    }
    for (let t = 0; t + 2 < indices.length; t += 3) {
      const [a, b, c] = [3 * nth(indices, t), 3 * nth(indices, t + 1), 3 * nth(indices, t + 2)];
      this.triangle(nth(at, a), nth(at, a + 1), nth(at, b), nth(at, b + 1), nth(at, c), nth(at, c + 1));
    }
    this.away = null;
  }

  /** Marks the cells of a row that lie between the least and the greatest x of a triangle within it. */
  private triangle(ax: number, ay: number, bx: number, by: number, cx: number, cy: number): void {
    if (Number.isNaN(ax + bx + cx)) return;
    const top = Math.max(0, Math.floor(Math.min(ay, by, cy) / CELL));
    const bottom = Math.min(this.high - 1, Math.floor(Math.max(ay, by, cy) / CELL));
    for (let r = top; r <= bottom; r++) {
      const [y0, y1] = [r * CELL, (r + 1) * CELL];
      let least = Number.POSITIVE_INFINITY;
      let most = Number.NEGATIVE_INFINITY;
      for (let k = 0; k < 3; k++) {
        const [px, py, qx, qy] = k === 0 ? [ax, ay, bx, by] : k === 1 ? [bx, by, cx, cy] : [cx, cy, ax, ay];
        const [lo, hi] = [Math.max(y0, Math.min(py, qy)), Math.min(y1, Math.max(py, qy))];
        if (lo > hi) continue;
        const x = (y: number) => (qy === py ? px : px + ((qx - px) * (y - py)) / (qy - py));
        const [u, v] = qy === py ? [px, qx] : [x(lo), x(hi)];
        least = Math.min(least, u, v);
        most = Math.max(most, u, v);
      }
      const left = Math.max(0, Math.floor(least / CELL));
      const right = Math.min(this.wide - 1, Math.floor(most / CELL));
      if (right >= left) this.cells.fill(1, r * this.wide + left, r * this.wide + right + 1);
    }
  }

  /** Marks a line of a width. */
  line(points: ArrayLike<number>, width: number): void {
    const reach = Math.ceil(width / 2 / CELL);
    for (let i = 2; i + 1 < points.length; i += 2) {
      const [ax, ay, bx, by] = [nth(points, i - 2), nth(points, i - 1), nth(points, i), nth(points, i + 1)];
      const n = Math.max(1, Math.ceil(Math.hypot(bx - ax, by - ay) / CELL));
      for (let k = 0; k <= n; k++) {
        const cx = Math.floor((ax + ((bx - ax) * k) / n) / CELL);
        const cy = Math.floor((ay + ((by - ay) * k) / n) / CELL);
        for (let y = Math.max(0, cy - reach); y <= Math.min(this.high - 1, cy + reach); y++)
          for (let x = Math.max(0, cx - reach); x <= Math.min(this.wide - 1, cx + reach); x++)
            this.cells[y * this.wide + x] = 1;
      }
    }
    this.away = null;
  }

  /** How far a place is from the nearest that is marked, units, a cell less at most; 0 within one. */
  distance(x: number, y: number): number {
    this.away ??= distances(this.cells, this.wide, this.high);
    const cx = Math.max(0, Math.min(this.wide - 1, Math.floor(x / CELL)));
    const cy = Math.max(0, Math.min(this.high - 1, Math.floor(y / CELL)));
    return Math.max(0, (Math.sqrt(this.away[cy * this.wide + cx] as number) - 1) * CELL);
  }

  /** Whether a place itself is marked. */
  covers(x: number, y: number): boolean {
    const [cx, cy] = [Math.floor(x / CELL), Math.floor(y / CELL)];
    return cx >= 0 && cy >= 0 && cx < this.wide && cy < this.high && this.cells[cy * this.wide + cx] === 1;
  }
}

/** Squared Euclidean distances to marked cells, rows and then columns (Felzenszwalb and Huttenlocher 2012). */
function distances(cells: Uint8Array, wide: number, high: number): Float32Array {
  const FAR = 1e9;
  const out = Float32Array.from(cells, (v) => (v ? 0 : FAR));
  const most = Math.max(wide, high);
  const f = new Float64Array(most);
  const v = new Int32Array(most);
  const z = new Float64Array(most + 1);
  const pass = (start: number, step: number, n: number) => {
    for (let q = 0; q < n; q++) f[q] = out[start + q * step] as number;
    let k = 0;
    v[0] = 0;
    z[0] = Number.NEGATIVE_INFINITY;
    z[1] = Number.POSITIVE_INFINITY;
    for (let q = 1; q < n; q++) {
      let s = meet(q, v[k] as number);
      while (s <= (z[k] as number)) s = meet(q, v[--k] as number);
      v[++k] = q;
      z[k] = s;
      z[k + 1] = Number.POSITIVE_INFINITY;
    }
    k = 0;
    for (let q = 0; q < n; q++) {
      while ((z[k + 1] as number) < q) k++;
      const p = v[k] as number;
      out[start + q * step] = (q - p) ** 2 + (f[p] as number);
    }
  };
  const meet = (q: number, p: number) => ((f[q] as number) + q * q - ((f[p] as number) + p * p)) / (2 * q - 2 * p);
  for (let r = 0; r < high; r++) pass(r * wide, 1, wide);
  for (let c = 0; c < wide; c++) pass(c, wide, high);
  return out;
}
