import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { richFilm, richPreparation } from "../../../tests/support/richFilm";
import { indexAssembly } from "../assembly/assembly";
import { invertedAffine } from "../math/mat4";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { decomposed, motionOf, type NodeMotion, type StepMotion } from "./motion";
import { between, type Fitted, fitKeys, JUMP, joined, type Keys, turnedBetween, valueAt } from "./signal";

const index = indexAssembly(cubePackage().assembly);
const REACH = new Float64Array(index.assembly.nodes.length).fill(60);

function motion(program: Program, range = { from: 0, to: program.steps.length }): StepMotion[] {
  const going = motionOf(program, range, REACH);
  for (;;) {
    const next = going.next();
    if (next.done) return next.value;
  }
}

/** A node's matrix in its parent by keys at a time. */
function matrixOf(m: NodeMotion, time: number, of: (f: Fitted) => Keys): number[] {
  const [t, q, s] = [m.translation, m.rotation, m.scale].map((f) => valueAt(of(f), time)) as [
    number[],
    number[],
    number[],
  ];
  const [x, y, z, w] = q as [number, number, number, number];
  const r = [
    [1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)],
    [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)],
    [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)],
  ];
  return [...r.flatMap((c, i) => [...c.map((v) => v * nth(s, i)), 0]), ...t, 1];
}
const times = (a: readonly number[], b: readonly number[]) =>
  Array.from({ length: 16 }, (_, i) => {
    const [r, c] = [i % 4, Math.floor(i / 4)];
    let sum = 0;
    for (let k = 0; k < 4; k++) sum += nth(a, 4 * k + r) * nth(b, 4 * c + k);
    return sum;
  });

/** The farthest that a corner 60 mm from a node's origin is off, at moments of a film. */
function worst(program: Program, at: readonly number[], worldOf: (ticks: number, node: number) => number[]): number {
  const p = createPose(program);
  let most = 0;
  for (const ticks of at) {
    pose(program, ticks, p);
    for (const node of program.moving) {
      const mine = worldOf(ticks, node);
      for (const corner of [
        [0, 0, 0],
        [35, 35, 35],
        [-60, 0, 0],
      ]) {
        let sum = 0;
        for (let r = 0; r < 3; r++) {
          const go = (m: ArrayLike<number>, o: number) =>
            nth(m, o + r) * nth(corner, 0) +
            nth(m, o + 4 + r) * nth(corner, 1) +
            nth(m, o + 8 + r) * nth(corner, 2) +
            nth(m, o + 12 + r);
          sum += (go(mine, 0) - go(p.world, 16 * node)) ** 2;
        }
        most = Math.max(most, Math.sqrt(sum));
      }
    }
  }
  return most;
}

function playback(program: Program, steps: readonly StepMotion[]) {
  const rest = createPose(program);
  pose(program, steps[0]?.from ?? 0, rest);
  const world = (node: number, local: (n: number) => number[] | null): number[] => {
    const own = local(node) ?? homeLocal(node);
    const above = nth(index.parent, node);
    return above < 0 ? own : times(world(above, local), own);
  };
  return {
    /** By the keys of each step. */
    steps: (ticks: number, node: number) => {
      const step = steps.findLast((s) => s.from <= ticks) as StepMotion;
      return world(node, (n) => {
        const m = step.nodes.get(n);
        return m ? matrixOf(m, (ticks - step.from) / TICKS_PER_SECOND, (f) => f.keys) : null;
      });
    },
    /** By all of them one after another. */
    whole: (() => {
      const all = new Map<Fitted, Keys>();
      const [first] = steps;
      for (const node of first?.nodes.keys() ?? [])
        for (const part of ["translation", "rotation", "scale"] as const)
          all.set(
            first?.nodes.get(node)?.[part] as Fitted,
            joined(
              steps.map((s) => ({
                at: (s.from - (first?.from ?? 0)) / TICKS_PER_SECOND,
                fitted: s.nodes.get(node)?.[part] as Fitted,
              })),
            ),
          );
      return (ticks: number, node: number) =>
        world(node, (n) => {
          const m = first?.nodes.get(n);
          return m ? matrixOf(m, (ticks - (first?.from ?? 0)) / TICKS_PER_SECOND, (f) => all.get(f) as Keys) : null;
        });
    })(),
  };
  function homeLocal(node: number): number[] {
    const above = nth(index.parent, node);
    const own = [...rest.world.subarray(16 * node, 16 * node + 16)];
    return above < 0 ? own : times(invertedAffine(rest.world, 16 * above), own);
  }
}

describe("a film's motion as keys", () => {
  const moments = (program: Program, count: number) =>
    Array.from({ length: count }, (_, i) => ((i + 0.37) / count) * program.steps.length).filter((t) =>
      // Not in the moment of a jump, which a file cannot hold.
      [...program.steps.start, ...program.steps.end].every((s) => Math.abs(t - s) > 2 * JUMP * TICKS_PER_SECOND),
    );
  test("of slides, turns beyond half a turn, stills and links is within a hundredth of a millimetre at any moment", () => {
    const film = richFilm();
    // What is stretched across its turn has another test.
    for (const step of Object.values(film.steps))
      for (const move of Object.values(step.moves)) {
        if (move.kind === "stretch") delete step.moves[move.id];
        if (move.kind !== "hand") continue;
        for (const k of Object.values(move.keys))
          k.values = Object.fromEntries(Object.entries(k.values).filter(([c]) => !c.startsWith("size.")));
      }
    const program = compile(index, richPreparation, film);
    const steps = motion(program);
    expect(steps.map((s) => s.step)).toEqual(program.steps.ids);
    expect(steps.flatMap((s) => [...s.sheared])).toEqual([]);
    const { steps: byStep, whole } = playback(program, steps);
    const at = moments(program, 500);
    expect(worst(program, at, byStep)).toBeLessThan(0.02);
    expect(worst(program, at, whole)).toBeLessThan(0.02);
  });
  test("has few keys: none where nothing moves, one for each arrival of a plain ease, some for a turn", () => {
    const program = compile(
      index,
      preparation(),
      sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 100 }), key("b", 2, 1, { "turn.z": 720 })] }]),
    );
    const [step] = motion(program);
    const arm = step?.nodes.get(index.indexOf.get("root/arm") as number);
    expect(arm?.scale.keys.times).toHaveLength(1);
    expect(arm?.translation.keys.times.length).toBeLessThan(60);
    expect(arm?.rotation.keys.times.length).toBeGreaterThan(3);
    expect(arm?.rotation.keys.times.length).toBeLessThan(60);
    const other = step?.nodes.get(index.indexOf.get("root/base") as number);
    expect(other?.translation.keys.times.length ?? 1).toBe(1);
  });
  test("what is stretched across the axis it is turned about is named: no place, turn and size can say that", () => {
    const sheared = motion(compile(index, richPreparation, richFilm())).flatMap((s) => [...s.sheared]);
    expect(sheared.length).toBeGreaterThan(0);
    for (const [node, off] of sheared) {
      expect(index.assembly.nodes[node]?.key).toContain("arm");
      expect(off).toBeGreaterThan(1);
    }
  });
  test("a part of a film begins where the part does", () => {
    const program = compile(
      index,
      preparation(),
      sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 100 })] }, {}]),
    );
    const from = seconds(1);
    const steps = motion(program, { from, to: nth(program.steps.end, 0) });
    expect(steps).toHaveLength(1);
    const { steps: byStep } = playback(program, steps);
    expect(worst(program, [from, from + 1000, from + seconds(0.3)], byStep)).toBeLessThan(0.02);
  });
});

describe("keys of a signal", () => {
  const sampled = (f: (t: number) => number[], until: number, size: number, kinks: number[] = []) => {
    const ends = [0, ...kinks, until];
    return {
      size,
      stretches: ends.slice(1).map((b, i) => {
        const a = ends[i] as number;
        const n = Math.max(12, Math.ceil((b - a) * 240));
        const t = Float64Array.from({ length: n + 1 }, (_, k) => a + ((b - a) * k) / n);
        const inside = Float64Array.from(t, (v, k) => (k === n ? v - 1e-9 : v));
        return { times: t, values: Float64Array.from([...inside].flatMap(f)) };
      }),
    };
  };
  const off = (keys: Keys, f: (t: number) => number[], until: number) => {
    let most = 0;
    for (let i = 0; i <= 5000; i++) {
      const t = (until * i) / 5000;
      most = Math.max(most, between(f(t), 0, valueAt(keys, t)));
    }
    return most;
  };
  test("straight motion is two keys, standing still one, steps are steps", () => {
    const line = (t: number) => [3 * t, -t, 0];
    expect(fitKeys(sampled(line, 2, 3), between, 0.01).keys).toMatchObject({ mode: "LINEAR", times: [0, 2] });
    expect(
      fitKeys(
        sampled(() => [1, 2, 3], 2, 3),
        between,
        0.01,
      ).keys,
    ).toMatchObject({ mode: "STEP", times: [0] });
    const jump = (t: number) => [t < 1 ? 0 : 5, 0, 0];
    const steps = fitKeys(sampled(jump, 2, 3, [1]), between, 0.01).keys;
    expect(steps).toMatchObject({ mode: "STEP", times: [0, 1], values: [0, 0, 0, 5, 0, 0] });
  });
  test("whatever moves, with kinks and jumps, it is within the tolerance everywhere, with fewer keys than samples", () => {
    fc.assert(
      fc.property(real(1, 60), real(0.5, 4), real(-40, 40), real(-20, 20), (size, speed, slope, jump) => {
        const f = (t: number) => [size * Math.sin(speed * t) + (t >= 1 ? slope * (t - 1) : 0), t >= 2 ? jump : 0, 0];
        const { keys, cubic } = fitKeys(sampled(f, 3, 3, [1, 2]), between, 0.01);
        const here = (k: Keys) => off(k, (t) => (Math.abs(t - 2) < 1.5 * JUMP ? valueAt(k, t) : f(t)), 3);
        expect(here(keys)).toBeLessThan(0.0105);
        expect(here(cubic)).toBeLessThan(0.0105);
        expect(cubic.times.length).toBeLessThan(120);
        for (let i = 1; i < cubic.times.length; i++)
          expect(nth(cubic.times, i)).toBeGreaterThan(nth(cubic.times, i - 1));
      }),
      { numRuns: 40 },
    );
  });
  test("turns keep their way: seven turns in two seconds", () => {
    const f = (t: number) => [0, 0, Math.sin(7 * Math.PI * (t / 2)), Math.cos(7 * Math.PI * (t / 2))];
    const { keys } = fitKeys(sampled(f, 2, 4), turnedBetween, 0.01);
    let most = 0;
    for (let i = 0; i <= 3000; i++) {
      const q = valueAt(keys, (2 * i) / 3000);
      const g = f((2 * i) / 3000);
      const sign = Math.sign(q.reduce((sum, v, k) => sum + v * nth(g, k), 0));
      most = Math.max(
        most,
        turnedBetween(
          g.map((v) => v * sign),
          0,
          q,
        ),
      );
    }
    expect(most).toBeLessThan(0.0105);
  });
});

test("a matrix is taken apart into what makes it, mirrored ones too", () => {
  fc.assert(
    fc.property(
      fc.tuple(real(-1, 1), real(-1, 1), real(-1, 1), real(-1, 1)).filter((q) => Math.hypot(...q) > 0.1),
      fc.tuple(real(-500, 500), real(-500, 500), real(-500, 500)),
      fc.tuple(real(0.1, 3), real(0.1, 3), real(0.1, 3)),
      fc.boolean(),
      (turn, place, size, mirrored) => {
        const n = Math.hypot(...turn);
        const s = mirrored ? [-size[0], size[1], size[2]] : size;
        const fitted = (size_: number, values: number[]): Fitted => {
          const keys: Keys = { mode: "STEP", size: size_, times: [0], values };
          return { keys, cubic: keys };
        };
        const part = { visible: fitted(1, [1]), opacity: fitted(1, [1]) };
        const made = {
          translation: fitted(3, place),
          rotation: fitted(
            4,
            turn.map((v) => v / n),
          ),
          scale: fitted(3, s),
          ...part,
        };
        const m = matrixOf(made, 0, (f) => f.keys);
        const out = new Float64Array(10);
        decomposed(m, 0, out, 0);
        const again = matrixOf(
          {
            translation: fitted(3, [...out.subarray(0, 3)]),
            rotation: fitted(4, [...out.subarray(3, 7)]),
            scale: fitted(3, [...out.subarray(7, 10)]),
            ...part,
          },
          0,
          (f) => f.keys,
        );
        for (const [i, v] of m.entries()) expect(nth(again, i)).toBeCloseTo(v, 9);
      },
    ),
  );
});
