import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { fitCircle, fitSurface, straightness } from "./fit";

/** A repeatable source of numbers in 0..1 (mulberry32), so that a failing case can be run again. */
function numbers(seed: number) {
  let a = seed;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
/** A frame turned anyhow: three columns. */
function frame(rnd: () => number): [number, number, number][] {
  const q = [rnd() - 0.5, rnd() - 0.5, rnd() - 0.5, rnd() - 0.5];
  const n = Math.hypot(...q) || 1;
  const [x, y, z, w] = q.map((v) => v / n) as [number, number, number, number];
  return [
    [1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)],
    [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)],
    [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)],
  ];
}
interface Made {
  positions: number[];
  normals: number[];
  axis: Triple;
  origin: number[];
}
/** Points of a surface of revolution r(h) over part of a turn, placed anyhow, with noise along the normals. */
function revolved(
  seed: number,
  o: { radius: number; slope: number; height: number; turnDeg: number; noise: number },
): Made {
  const rnd = numbers(seed);
  const f = frame(rnd);
  const origin = [rnd() * 200 - 100, rnd() * 200 - 100, rnd() * 200 - 100];
  const positions: number[] = [];
  const normals: number[] = [];
  const put = (v: number[]) =>
    [0, 1, 2].map((k) => nth(v, 0) * (f[0]?.[k] ?? 0) + nth(v, 1) * (f[1]?.[k] ?? 0) + nth(v, 2) * (f[2]?.[k] ?? 0));
  const cosine = 1 / Math.hypot(1, o.slope);
  for (let i = 0; i < 24; i++) {
    for (let j = 0; j < 9; j++) {
      const a = (((i / 23) * o.turnDeg) / 180) * Math.PI;
      const h = (j / 8 - 0.5) * o.height;
      const r = o.radius + o.slope * h;
      const n = [Math.cos(a) * cosine, Math.sin(a) * cosine, -o.slope * cosine];
      const e = (rnd() * 2 - 1) * o.noise;
      positions.push(
        ...put([r * Math.cos(a) + e * nth(n, 0), r * Math.sin(a) + e * nth(n, 1), h + e * nth(n, 2)]).map(
          (v, k) => v + nth(origin, k),
        ),
      );
      normals.push(...put(n));
    }
  }
  return { positions, normals, axis: f[2] as Triple, origin };
}
const along = (a: readonly number[], b: readonly number[]) => Math.abs(a.reduce((s, v, k) => s + v * nth(b, k), 0));
const fromAxis = (p: readonly number[], m: Made) => {
  const d = p.map((v, k) => v - nth(m.origin, k));
  const t = d.reduce((s, v, k) => s + v * nth(m.axis, k), 0);
  return Math.sqrt(Math.max(0, d.reduce((s, v) => s + v * v, 0) - t * t));
};

describe("fitting surfaces", () => {
  const seed = fc.integer({ min: 1, max: 1e9 });

  test("finds a cylinder's axis and radius exactly, whole or a sixth of a turn", () => {
    fc.assert(
      fc.property(seed, fc.constantFrom(360, 200, 120, 60), real(1, 60), (s, turnDeg, radius) => {
        const m = revolved(s, { radius, slope: 0, height: radius * 1.4, turnDeg, noise: 0 });
        const fit = fitSurface(m);
        expect(fit?.kind).toBe("cylinder");
        expect(fit?.radius).toBeCloseTo(radius, 5);
        expect(1 - along(fit?.direction ?? [], m.axis)).toBeLessThan(1e-10);
        expect(fromAxis(fit?.point ?? [], m)).toBeLessThan(1e-5 * radius);
      }),
      { numRuns: 40 },
    );
  });

  test("finds a cone with its half angle", () => {
    fc.assert(
      fc.property(seed, fc.constantFrom(360, 150), fc.constantFrom(0.1, 0.27, 0.58, 1), (s, turnDeg, slope) => {
        const m = revolved(s, { radius: 20, slope, height: 18, turnDeg, noise: 0 });
        const fit = fitSurface(m);
        expect(fit?.kind).toBe("cone");
        expect(fit?.halfAngleDeg).toBeCloseTo((Math.atan(slope) * 180) / Math.PI, 4);
        expect(1 - along(fit?.direction ?? [], m.axis)).toBeLessThan(1e-9);
      }),
      { numRuns: 40 },
    );
  });

  test("averages noise out and says how large it was", () => {
    for (let s = 1; s <= 12; s++) {
      const m = revolved(s, { radius: 25, slope: 0, height: 40, turnDeg: 180, noise: 0.05 });
      const fit = fitSurface(m);
      expect(fit?.kind).toBe("cylinder");
      expect(Math.abs((fit?.radius ?? 0) - 25)).toBeLessThan(0.03);
      expect(along(fit?.direction ?? [], m.axis)).toBeGreaterThan(1 - 1e-5);
      expect(fit?.max).toBeGreaterThan(0.03);
      expect(fit?.max).toBeLessThan(0.12);
    }
  });

  test("finds a plane and its normal, on the side of the mesh's normals", () => {
    fc.assert(
      fc.property(seed, (s) => {
        const rnd = numbers(s);
        const f = frame(rnd);
        const n = f[2] as Triple;
        const positions: number[] = [];
        const normals: number[] = [];
        for (let i = 0; i < 40; i++) {
          const [a, b] = [rnd() * 80, rnd() * 30];
          positions.push(...[0, 1, 2].map((k) => a * (f[0]?.[k] ?? 0) + b * (f[1]?.[k] ?? 0) + 7));
          normals.push(...n);
        }
        const fit = fitSurface({ positions, normals });
        expect(fit?.kind).toBe("plane");
        expect((fit?.direction ?? []).reduce((t, v, k) => t + v * nth(n, k), 0)).toBeCloseTo(1, 9);
      }),
      { numRuns: 40 },
    );
  });

  test("finds a sphere's middle", () => {
    const positions: number[] = [];
    const normals: number[] = [];
    for (let i = 0; i < 12; i++) {
      for (let j = 1; j < 9; j++) {
        const n = [Math.cos(i / 2) * Math.sin(j / 3), Math.sin(i / 2) * Math.sin(j / 3), Math.cos(j / 3)];
        normals.push(...n);
        positions.push(...n.map((v, k) => 12 * v + k));
      }
    }
    const fit = fitSurface({ positions, normals });
    expect(fit?.kind).toBe("sphere");
    expect(fit?.radius).toBeCloseTo(12, 6);
    expect(fit?.point[2]).toBeCloseTo(2, 6);
  });

  test("gives nothing where no simple surface fits, and for too few points", () => {
    const positions: number[] = [];
    const normals: number[] = [];
    const rnd = numbers(5);
    for (let i = 0; i < 100; i++) {
      positions.push(rnd() * 10, rnd() * 10, rnd() * 10);
      normals.push(0, 0, 1);
    }
    expect(fitSurface({ positions, normals })).toBeNull();
    expect(fitSurface({ positions: [0, 0, 0, 1, 0, 0], normals: [0, 0, 1, 0, 0, 1] })).toBeNull();
  });
});

test("fits a circle in space from part of it, and refuses a line and a scribble", () => {
  const m = revolved(9, { radius: 14, slope: 0, height: 0, turnDeg: 100, noise: 0 });
  const fit = fitCircle(m.positions);
  expect(fit?.radius).toBeCloseTo(14, 6);
  expect(fromAxis(fit?.centre ?? [], m)).toBeLessThan(1e-6);
  expect(fitCircle([0, 0, 0, 1, 0, 0, 2, 0, 0, 3, 0, 0])).toBeNull();
  expect(fitCircle([0, 0, 0, 10, 0, 0, 0, 10, 0, 3, 1, 0, 9, 9, 0])).toBeNull();
  expect(straightness([0, 0, 0, 5, 0.25, 0, 10, 0, 0])).toBeCloseTo(0.25, 12);
});
