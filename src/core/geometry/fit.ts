import { nth } from "../math/packed";
import { cross, dot, normalised, shifted, type Triple } from "../math/triple";
import { symmetricEigen } from "./eigen";

/** A surface fitted to points of a mesh, with how far the points lie from it. Lengths in mm, in the points' frame. */
export interface SurfaceFit {
  kind: "plane" | "cylinder" | "cone" | "sphere";
  /** Point on the plane or axis; the middle of a sphere. For a cone the foot of the points' middle on its axis. */
  point: Triple;
  /** Normal or axis, unit; a sphere has none (0 0 0). */
  direction: Triple;
  /** Cylinder, sphere; of a cone at `point`. */
  radius: number;
  /** Half angle of a cone, degrees. */
  halfAngleDeg: number;
  /** Root of the mean squared distance, and the largest distance. */
  rms: number;
  max: number;
}

/** Samples on a surface: positions and unit normals, xyz each; as many of the one as of the other. */
export interface SurfaceSamples {
  positions: readonly number[];
  normals: readonly number[];
}

/** A fit counts when its points lie within this share of the patch's size. */
const GOOD = 0.004;

/**
 * Fits plane, cylinder, cone and sphere to samples and gives the simplest that describes them, or null when none
 * does (within 0.4 % of the patch's size). Axes start from the normals' covariance (a cylinder's normals lie in a
 * plane, a cone's at one angle to its axis) and are refined on the geometric distance by Levenberg and Marquardt's
 * method (Marquardt 1963). Noise averages out; part of a turn is enough.
 */
export function fitSurface(samples: SurfaceSamples): SurfaceFit | null {
  const n = samples.positions.length / 3;
  if (n < 3) return null;
  const { middle, size } = extent(samples.positions);
  if (!(size > 0)) return null;
  const limit = GOOD * size;
  const plane = fitPlane(samples, middle);
  if (plane.max <= limit * 0.25) return plane;
  const round = [fitCylinder(samples, middle), fitCone(samples, middle), fitSphere(samples, middle)].filter(
    (f): f is SurfaceFit => f !== null && Number.isFinite(f.rms) && f.radius < size * 200,
  );
  let best: SurfaceFit | null = null;
  for (const f of round) {
    // A simpler surface is kept unless the other fits clearly better.
    if (f.rms <= limit && (best === null || f.rms < best.rms * 0.5 - 1e-9 * size)) best = f;
  }
  if (plane.rms <= limit && (best === null || plane.rms <= best.rms * 1.5)) return plane;
  return best;
}

function extent(p: readonly number[]): { middle: Triple; size: number } {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  const sum = [0, 0, 0];
  for (let i = 0; i < p.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const v = nth(p, i + k);
      sum[k] = nth(sum, k) + v;
      min[k] = Math.min(nth(min, k), v);
      max[k] = Math.max(nth(max, k), v);
    }
  }
  const n = p.length / 3;
  return { middle: sum.map((s) => s / n) as Triple, size: Math.hypot(...max.map((m, k) => m - nth(min, k))) };
}

/** Covariance of vectors about a centre, as the six numbers of a symmetric matrix. */
function covariance(v: readonly number[], c: readonly number[]): [number, number, number, number, number, number] {
  const m: [number, number, number, number, number, number] = [0, 0, 0, 0, 0, 0];
  for (let i = 0; i < v.length; i += 3) {
    const x = nth(v, i) - nth(c, 0);
    const y = nth(v, i + 1) - nth(c, 1);
    const z = nth(v, i + 2) - nth(c, 2);
    m[0] += x * x;
    m[1] += x * y;
    m[2] += x * z;
    m[3] += y * y;
    m[4] += y * z;
    m[5] += z * z;
  }
  return m;
}

function withErrors(
  fit: Omit<SurfaceFit, "rms" | "max">,
  p: readonly number[],
  distance: (x: number, y: number, z: number) => number,
): SurfaceFit {
  let sum = 0;
  let max = 0;
  for (let i = 0; i < p.length; i += 3) {
    const d = Math.abs(distance(nth(p, i), nth(p, i + 1), nth(p, i + 2)));
    sum += d * d;
    if (d > max) max = d;
  }
  return { ...fit, rms: Math.sqrt(sum / (p.length / 3)), max };
}

function fitPlane({ positions, normals }: SurfaceSamples, middle: Triple): SurfaceFit {
  let direction = symmetricEigen(covariance(positions, middle)).vectors[0] as Triple;
  const sum: Triple = [0, 0, 0];
  for (let i = 0; i < normals.length; i++) sum[i % 3] = nth(sum, i % 3) + nth(normals, i);
  if (dot(sum, direction) < 0) direction = direction.map((v) => -v) as Triple;
  return withErrors({ kind: "plane", point: middle, direction, radius: 0, halfAngleDeg: 0 }, positions, (x, y, z) =>
    dot([x - middle[0], y - middle[1], z - middle[2]], direction),
  );
}

/** Circle through plane points by least squares on x^2 + y^2 (Kasa 1976); null when they lie in a line. */
function circle(points: readonly (readonly [number, number])[]): { x: number; y: number; r: number } | null {
  const n = points.length;
  let mx = 0;
  let my = 0;
  for (const [x, y] of points) {
    mx += x / n;
    my += y / n;
  }
  let xx = 0;
  let xy = 0;
  let yy = 0;
  let xz = 0;
  let yz = 0;
  let zs = 0;
  for (const [px, py] of points) {
    const x = px - mx;
    const y = py - my;
    const z = x * x + y * y;
    xx += x * x;
    xy += x * y;
    yy += y * y;
    xz += x * z;
    yz += y * z;
    zs += z;
  }
  const det = xx * yy - xy * xy;
  if (Math.abs(det) < 1e-12 * (xx + yy) ** 2) return null;
  const a = (xz * yy - yz * xy) / (2 * det);
  const b = (yz * xx - xz * xy) / (2 * det);
  return { x: a + mx, y: b + my, r: Math.sqrt(a * a + b * b + zs / n) };
}

/** Two unit vectors square to a direction and to each other. */
function across(a: Triple): [Triple, Triple] {
  const helper: Triple = Math.abs(a[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  const u = normalised(cross(a, helper)) as Triple;
  return [u, cross(a, u)];
}

function fitCylinder(samples: SurfaceSamples, middle: Triple): SurfaceFit | null {
  const axis = symmetricEigen(covariance(samples.normals, [0, 0, 0])).vectors[0] as Triple;
  return refineRound(samples, middle, axis, 0);
}

function fitCone(samples: SurfaceSamples, middle: Triple): SurfaceFit | null {
  const n = samples.normals.length / 3;
  const mean: Triple = [0, 0, 0];
  for (let i = 0; i < samples.normals.length; i++) mean[i % 3] = nth(mean, i % 3) + nth(samples.normals, i) / n;
  const axis = symmetricEigen(covariance(samples.normals, mean)).vectors[0] as Triple;
  const lean = dot(mean, axis);
  return refineRound(samples, middle, axis, Math.tan(Math.asin(Math.max(-0.99, Math.min(0.99, -lean)))));
}

/**
 * Refines a cylinder (`slope` 0) or cone on the distance of the points. Unknowns: where the axis passes the plane
 * through the middle (2), its tilt (2), the radius there (1) and, for a cone, how it grows along the axis (1).
 */
function refineRound({ positions }: SurfaceSamples, middle: Triple, axis: Triple, slope: number): SurfaceFit | null {
  const cone = slope !== 0;
  const [u, w] = across(axis);
  const flat: [number, number][] = [];
  for (let i = 0; i < positions.length; i += 3) {
    const d: Triple = [
      nth(positions, i) - middle[0],
      nth(positions, i + 1) - middle[1],
      nth(positions, i + 2) - middle[2],
    ];
    // A cone's points are brought to one height before the circle is sought.
    const k = cone ? slope * dot(d, axis) : 0;
    const x = dot(d, u);
    const y = dot(d, w);
    const r = Math.hypot(x, y) || 1;
    flat.push([x - (k * x) / r, y - (k * y) / r]);
  }
  const start = circle(flat);
  if (!start) return null;
  const q = [start.x, start.y, 0, 0, start.r, slope];
  const count = cone ? 6 : 5;
  const scale = Math.max(1e-6, start.r);
  const n = positions.length / 3;
  // At most this many points take part in the refinement; they are spread evenly over the list.
  const stride = Math.max(1, Math.floor(n / 1500));
  const axisOf = (p: readonly number[]): Triple =>
    normalised(shifted(shifted(axis, u, nth(p, 2)), w, nth(p, 3))) as Triple;
  const residuals = (p: readonly number[], out: Float64Array) => {
    const a = axisOf(p);
    const c = shifted(shifted(middle, u, nth(p, 0)), w, nth(p, 1));
    const cosine = cone ? 1 / Math.hypot(1, nth(p, 5)) : 1;
    let j = 0;
    for (let i = 0; i < n; i += stride) {
      const dx = nth(positions, 3 * i) - c[0];
      const dy = nth(positions, 3 * i + 1) - c[1];
      const dz = nth(positions, 3 * i + 2) - c[2];
      const along = dx * a[0] + dy * a[1] + dz * a[2];
      const out2 = Math.max(0, dx * dx + dy * dy + dz * dz - along * along);
      out[j++] = (Math.sqrt(out2) - nth(p, 4) - (cone ? nth(p, 5) * along : 0)) * cosine;
    }
    return j;
  };
  marquardt(q, count, [scale, scale, 1, 1, scale, 1], residuals, Math.ceil(n / stride));
  const direction = axisOf(q);
  const c = [0, 1, 2].map((k) => nth(middle, k) + nth(q, 0) * nth(u, k) + nth(q, 1) * nth(w, k)) as Triple;
  // The foot of the middle on the axis: a point that does not wander along it.
  const shift = dot([middle[0] - c[0], middle[1] - c[1], middle[2] - c[2]], direction);
  const point = c.map((v, k) => v + shift * nth(direction, k)) as Triple;
  const grow = cone ? nth(q, 5) : 0;
  const radius = nth(q, 4) + grow * shift;
  if (!(radius > 0)) return null;
  const cosine = 1 / Math.hypot(1, grow);
  return withErrors(
    {
      kind: cone ? "cone" : "cylinder",
      point,
      direction,
      radius,
      halfAngleDeg: cone ? Math.abs((Math.atan(grow) * 180) / Math.PI) : 0,
    },
    positions,
    (x, y, z) => {
      const d: Triple = [x - point[0], y - point[1], z - point[2]];
      const along = dot(d, direction);
      return (Math.sqrt(Math.max(0, dot(d, d) - along * along)) - radius - grow * along) * cosine;
    },
  );
}

/** Levenberg-Marquardt on a few unknowns with differences for derivatives; changes `q` in place. */
function marquardt(
  q: number[],
  count: number,
  scale: readonly number[],
  residuals: (p: readonly number[], out: Float64Array) => number,
  size: number,
): void {
  const r = new Float64Array(size);
  const shifted = new Float64Array(size);
  const jacobian = Array.from({ length: count }, () => new Float64Array(size));
  const cost = (v: Float64Array, m: number) => {
    let s = 0;
    for (let i = 0; i < m; i++) s += nth(v, i) ** 2;
    return s;
  };
  let damping = 1e-3;
  let m = residuals(q, r);
  let now = cost(r, m);
  for (let round = 0; round < 60; round++) {
    for (let k = 0; k < count; k++) {
      const h = 1e-6 * nth(scale, k);
      const p = q.slice();
      p[k] = nth(p, k) + h;
      residuals(p, shifted);
      const column = jacobian[k] as Float64Array;
      for (let i = 0; i < m; i++) column[i] = (nth(shifted, i) - nth(r, i)) / h;
    }
    const normal: number[][] = [];
    const right: number[] = [];
    for (let a = 0; a < count; a++) {
      normal.push([]);
      let g = 0;
      for (let i = 0; i < m; i++) g += nth(jacobian[a] as Float64Array, i) * nth(r, i);
      right.push(-g);
      for (let b = 0; b < count; b++) {
        let s = 0;
        for (let i = 0; i < m; i++) s += nth(jacobian[a] as Float64Array, i) * nth(jacobian[b] as Float64Array, i);
        normal[a]?.push(s);
      }
    }
    let improved = false;
    for (let attempt = 0; attempt < 8 && !improved; attempt++) {
      const step = solve(
        normal.map((row, i) => row.map((v, j) => (i === j ? v * (1 + damping) + 1e-300 : v))),
        right,
      );
      if (!step) break;
      const next = q.map((v, i) => v + (step[i] ?? 0));
      residuals(next, shifted);
      const then = cost(shifted, m);
      if (then < now) {
        improved = true;
        const gain = now - then;
        for (let i = 0; i < q.length; i++) q[i] = nth(next, i);
        m = residuals(q, r);
        now = then;
        damping = Math.max(1e-12, damping / 5);
        if (gain < 1e-14 * now) return;
      } else damping *= 6;
    }
    if (!improved) return;
  }
}

/** Gaussian elimination with pivoting; null when singular. */
function solve(a: number[][], b: readonly number[]): number[] | null {
  const n = b.length;
  const m = a.map((row, i) => [...row, nth(b, i)]);
  for (let c = 0; c < n; c++) {
    let p = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(nth(m[r] ?? [], c)) > Math.abs(nth(m[p] ?? [], c))) p = r;
    [m[c], m[p]] = [m[p] as number[], m[c] as number[]];
    const top = m[c] as number[];
    const pivot = nth(top, c);
    if (!(Math.abs(pivot) > 1e-300)) return null;
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const row = m[r] as number[];
      const f = nth(row, c) / pivot;
      if (f !== 0) for (let k = c; k <= n; k++) row[k] = nth(row, k) - f * nth(top, k);
    }
  }
  return m.map((row, i) => nth(row, n) / nth(row, i));
}

function fitSphere({ positions }: SurfaceSamples, middle: Triple): SurfaceFit | null {
  const rows: number[][] = Array.from({ length: 4 }, () => [0, 0, 0, 0]);
  const right = [0, 0, 0, 0];
  for (let i = 0; i < positions.length; i += 3) {
    const v = [nth(positions, i) - middle[0], nth(positions, i + 1) - middle[1], nth(positions, i + 2) - middle[2], 1];
    const z = nth(v, 0) ** 2 + nth(v, 1) ** 2 + nth(v, 2) ** 2;
    for (let a = 0; a < 4; a++) {
      right[a] = nth(right, a) + z * nth(v, a);
      for (let b = 0; b < 4; b++) (rows[a] as number[])[b] = nth(rows[a] ?? [], b) + nth(v, a) * nth(v, b);
    }
  }
  const s = solve(rows, right);
  if (!s) return null;
  const c = [nth(s, 0) / 2, nth(s, 1) / 2, nth(s, 2) / 2] as Triple;
  const radius = Math.sqrt(nth(s, 3) + dot(c, c));
  if (!Number.isFinite(radius)) return null;
  const point = c.map((v, k) => v + nth(middle, k)) as Triple;
  return withErrors(
    { kind: "sphere", point, direction: [0, 0, 0], radius, halfAngleDeg: 0 },
    positions,
    (x, y, z) => Math.hypot(x - point[0], y - point[1], z - point[2]) - radius,
  );
}

export interface CircleFit {
  centre: Triple;
  /** Axis of the circle, unit. */
  direction: Triple;
  radius: number;
  max: number;
}

/** Fits a circle to points in space (a chain of edge points, xyz); null when they lie in a line or do not fit one. */
export function fitCircle(points: readonly number[]): CircleFit | null {
  const n = points.length / 3;
  if (n < 3) return null;
  const { middle, size } = extent(points);
  const { vectors } = symmetricEigen(covariance(points, middle));
  const direction = vectors[0] as Triple;
  const u = vectors[1] as Triple;
  const w = vectors[2] as Triple;
  const flat: [number, number][] = [];
  let max = 0;
  for (let i = 0; i < points.length; i += 3) {
    const d: Triple = [nth(points, i) - middle[0], nth(points, i + 1) - middle[1], nth(points, i + 2) - middle[2]];
    flat.push([dot(d, u), dot(d, w)]);
    max = Math.max(max, Math.abs(dot(d, direction)));
  }
  const c = circle(flat);
  if (!c || c.r > size * 100) return null;
  for (const [x, y] of flat) max = Math.max(max, Math.abs(Math.hypot(x - c.x, y - c.y) - c.r));
  if (max > 0.01 * size) return null;
  return {
    centre: [0, 1, 2].map((k) => nth(middle, k) + c.x * nth(u, k) + c.y * nth(w, k)) as Triple,
    direction,
    radius: c.r,
    max,
  };
}

/** How far points lie from the straight line between the first and the last, mm. */
export function straightness(points: readonly number[]): number {
  const n = points.length;
  const a: Triple = [nth(points, 0), nth(points, 1), nth(points, 2)];
  const d = normalised([nth(points, n - 3) - a[0], nth(points, n - 2) - a[1], nth(points, n - 1) - a[2]]);
  if (!d) return Number.POSITIVE_INFINITY;
  let max = 0;
  for (let i = 3; i < n; i += 3) {
    const v: Triple = [nth(points, i) - a[0], nth(points, i + 1) - a[1], nth(points, i + 2) - a[2]];
    const along = dot(v, d);
    max = Math.max(max, Math.sqrt(Math.max(0, dot(v, v) - along * along)));
  }
  return max;
}
