import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { body, box, ring } from "../../../tests/support/bodies";
import type { Body } from "./bodies";
import { findCollisions } from "./check";
import { type PlannedBody, planChecked, planExplode, shiftOf } from "./plan";
import { clearOf, waysOff } from "./ways";

const collisions = (bodies: readonly Body[], plan: readonly PlannedBody[], stagger = 1) =>
  findCollisions(bodies, shiftOf(plan, stagger), 80, 0.3);
const told = (bodies: readonly Body[], plan: readonly PlannedBody[]) =>
  Object.fromEntries(
    plan.map((p, i) => [bodies[i]?.id, [p.direction.map(Math.round).join(" "), Math.round(p.distance), p.why]]),
  );

describe("checking", () => {
  const block = body("block", box([0, 0, 0], [20, 20, 20]));
  const other = body("other", box([30, 0, 0], [50, 20, 20]));
  const into: Parameters<typeof findCollisions>[1] = (b, t, out) => {
    out[0] = b === 0 ? 25 * t : 0;
  };
  test("finds a body that is pushed into another, when and how deep", () => {
    const found = findCollisions([block, other], into, 50, 0.2);
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject({ a: 0, b: 1 });
    expect(found[0]?.at).toBeGreaterThan(0.4);
  });
  test("lets pass what is in one another at home", () => {
    const shaft = body("shaft", ring("z", [0, 0, 0], 0, 5.2, 0, 60));
    const hub = body("hub", ring("z", [0, 0, 0], 5, 15, 10, 30));
    const out: Parameters<typeof findCollisions>[1] = (b, t, s) => {
      s[2] = b === 0 ? 80 * t : 0;
    };
    expect(findCollisions([shaft, hub], out, 40, 0.2)).toEqual([]);
    const sideways: typeof out = (b, t, s) => {
      s[0] = b === 0 ? 10 * t : 0;
    };
    expect(findCollisions([shaft, hub], sideways, 40, 0.2)).toHaveLength(1);
  });
});

describe("ways off", () => {
  const housing = body("housing", box([-30, -30, -10], [30, 30, 0]), ring("z", [0, 0, 0], 10, 20, 0, 40));
  const plug = body("plug", ring("z", [0, 0, 0], 0, 9.9, 2, 45));
  test("a plug in a blind sleeve comes out upwards, as far as the sleeve is deep", () => {
    const [best, ...rest] = waysOff(plug, [housing]);
    expect(best?.direction).toEqual([0, 0, 1]);
    expect(best?.clear).toBeCloseTo(38, 3);
    expect(best?.travel).toBeNull();
    expect(rest.every((w) => w.travel !== null)).toBe(true);
    const down = rest.find((w) => w.direction[2] === -1);
    expect(down?.travel).toBeCloseTo(2, 3);
    expect(down?.blockers).toEqual([0]);
  });
  test("a lid over it blocks, and is named", () => {
    const lid = body("lid", box([-30, -30, 50], [30, 30, 55]));
    const [best] = waysOff(plug, [housing, lid]);
    expect(best?.travel).toBeCloseTo(5, 3);
    expect(best?.blockers).toEqual([1]);
  });
  test("clear of a housing chosen", () => {
    expect(clearOf(plug, [housing], [0, 0, 1])).toBeCloseTo(38, 3);
    expect(clearOf(plug, [body("far", box([100, 0, 0], [110, 10, 10]))], [0, 0, 1])).toBe(0);
  });
  test("a press fit with facets that differ does not hold its shaft", () => {
    const shaft = body("shaft", ring("z", [0, 0, 0], 0, 10.04, 0, 60, 31));
    const hub = body(
      "hub",
      ring("z", [0, 0, 0], 10, 25, 10, 30, 24, 0.37),
      ring("z", [0, 0, 0], 10, 25, 40, 50, 27, 0.2),
    );
    expect(waysOff(shaft, [hub])[0]?.travel).toBeNull();
  });
});

describe("planning", () => {
  test("a stack comes apart along its axis, outside in, with even gaps", () => {
    const bodies = [
      body("plate", box([-40, -40, 0], [40, 40, 10])),
      body("washer", ring("z", [0, 0, 0], 5, 12, 10, 12)),
      body("spring", ring("z", [0, 0, 0], 5, 9, 12, 30)),
      body("cap", ring("z", [0, 0, 0], 0, 14, 30, 36)),
    ];
    const plan = planExplode(bodies, { gap: 10 });
    expect(told(bodies, plan)).toEqual({
      plate: ["0 0 1", 0, "stays"],
      washer: ["0 0 1", 10, "axis"],
      spring: ["0 0 1", 20, "axis"],
      cap: ["0 0 1", 30, "axis"],
    });
    expect(plan.map((p) => p.order)).toEqual([0, 2, 1, 0]);
    expect(plan.map((p) => p.from)).toEqual([-1, 0, 1, 2]);
    expect(collisions(bodies, plan)).toEqual([]);
    expect(collisions(bodies, plan, 0.2)).toEqual([]);
  });
  test("an angle bracket with screws from two sides: each screw leaves its own way, before the bracket", () => {
    const bodies = [
      body("wall", box([-60, -10, -60], [60, 0, 60]), box([-60, 0, -60], [60, 60, -50])),
      // Upright leg with a hole about y, level leg with a hole about z.
      body(
        "bracket",
        ring("y", [0, 0, 20], 4, 15, 0, 5),
        ring("z", [0, 30, 0], 4, 15, -50, -45),
        box([-10, 0, -45], [10, 5, 6]),
      ),
      body("screw y", ring("y", [0, 0, 20], 0, 4, -5, 5), ring("y", [0, 0, 20], 0, 8, 5, 9)),
      body("screw z", ring("z", [0, 30, 0], 0, 4, -55, -45), ring("z", [0, 30, 0], 0, 8, -45, -41)),
    ];
    const plan = planChecked(bodies, { gap: 8 }).plan;
    expect(plan[2]?.direction).toEqual([0, 1, 0]);
    expect(plan[3]?.direction).toEqual([0, 0, 1]);
    expect(plan[2]?.order).toBeLessThan(plan[1]?.order as number);
    expect(plan[3]?.order).toBeLessThan(plan[1]?.order as number);
    expect(plan[0]?.why).toBe("stays");
    expect(collisions(bodies, plan)).toEqual([]);
  });
  test("what no straight way frees is said, with what holds it, and stays", () => {
    const bodies = [
      body(
        "box",
        box([0, 0, 0], [40, 40, 4]),
        box([0, 0, 36], [40, 40, 40]),
        box([0, 0, 4], [4, 40, 36]),
        box([36, 0, 4], [40, 40, 36]),
        box([4, 0, 4], [36, 4, 36]),
        box([4, 36, 4], [36, 40, 36]),
      ),
      body("ball", box([10, 10, 10], [20, 20, 20])),
    ];
    const plan = planExplode(bodies, { gap: 5 });
    expect(plan[1]).toMatchObject({ why: "stuck", distance: 0, blockers: [0] });
  });
  test("generated stacks with cross pins never collide on the way", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            r: fc.integer({ min: 8, max: 30 }),
            h: fc.integer({ min: 2, max: 20 }),
            hole: fc.boolean(),
            pin: fc.boolean(),
          }),
          { minLength: 1, maxLength: 5 },
        ),
        (parts) => {
          const bodies = [body("base", box([-50, -50, -20], [50, 50, 0]))];
          let z = 0;
          for (const [i, p] of parts.entries()) {
            bodies.push(body(`disc ${i}`, ring("z", [0, 0, 0], p.hole ? 4 : 0, p.r, z, z + p.h)));
            // A pin lies on the base's edge, beside the stack, across the way of nothing but its own.
            if (p.pin) bodies.push(body(`pin ${i}`, ring("x", [0, 0, z + p.h / 2], 0, 0.8, p.r + 0.1, p.r + 20, 12)));
            z += p.h;
          }
          const { plan, collisions: left } = planChecked(bodies, { gap: 6 });
          expect(left).toEqual([]);
          expect(plan.filter((q) => q.why === "stuck").length).toBeLessThan(parts.length);
          expect(collisions(bodies, plan)).toEqual([]);
        },
      ),
      { numRuns: 8, endOnFailure: true },
    );
  });
});
