import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import type { Trigger } from "../document/triggers";
import { compile } from "./compile";
import { pose } from "./pose";
import { createPose, type Pose } from "./sampling";
import { Triggers } from "./triggers";

const ARM = "root/arm";
const on = { type: "node" as const, key: ARM };
const trigger = (id: string, step: string, move: string | null = `m-${ARM.replace(/\W/g, "_")}`): Trigger => ({
  ...{ id, step, move, on, key: null },
});
/** The arm slides in the first step and slides on, turning, in the second; its neighbour goes in the third. */
const film = () =>
  sequenceOf([
    { [ARM]: [key("a", 1, 1, { "slide.x": 10 })] },
    { [ARM]: [key("b", 2, 2, { "slide.x": 30, "turn.z": 90 })] },
    { "root/arm/a": [key("c", 1, 1, { "slide.y": 5 })] },
  ]);
const program = compile(smallIndex(), preparation(), film());
const channel = (name: string) => program.channelOf(on, name);
const at = (ticks: number, t?: Triggers): Pose => {
  const out = createPose(program);
  pose(program, ticks, out, t?.overrides(ticks));
  return out;
};
const x = (p: Pose) => p.values[channel("slide.x")] as number;
const z = (p: Pose) => p.values[channel("turn.z")] as number;

describe("a trigger", () => {
  test("plays its move from what stands to what the film comes to, in the time that the film takes, and back", () => {
    const t = new Triggers(program, [trigger("second", "s1")]);
    expect(t.overrides(0)).toBeUndefined();
    t.toggle("second");
    expect(x(at(0, t))).toBe(0);
    expect([t.advance(1), t.isOpen("second")]).toEqual([true, true]);
    const half = x(at(0, t));
    expect(half).toBeGreaterThan(5);
    expect(half).toBeLessThan(25);
    expect(t.advance(1.01)).toBe(false);
    expect([x(at(0, t)), z(at(0, t))]).toEqual([30, 90]);
    t.toggle("second");
    expect(t.isOpen("second")).toBe(false);
    expect(t.advance(1)).toBe(true);
    expect(x(at(0, t))).toBeCloseTo(half, 9);
    expect(t.advance(2)).toBe(false);
    expect([x(at(0, t)), t.overrides(0)]).toEqual([0, undefined]);
  });
  test("never jumps, however it is pressed: each moment is near the one before", () => {
    const fastest = 30;
    fc.assert(
      fc.property(
        fc.array(real(0.005, 0.4), { minLength: 3, maxLength: 30 }),
        fc.integer({ min: 0, max: 5 }),
        (steps, often) => {
          const t = new Triggers(program, [trigger("first", "s0"), trigger("second", "s1")]);
          let was = x(at(0));
          steps.forEach((dt, i) => {
            if (i % (often + 1) === 0) t.toggle(i % 2 === 0 ? "first" : "second");
            expect(Math.abs(x(at(0, t)) - was)).toBeLessThan(1e-6);
            t.advance(dt);
            const now = x(at(0, t));
            // Twice as fast as anything in the film, for two of them may hand over.
            expect(Math.abs(now - was)).toBeLessThan(4 * fastest * dt + 1e-6);
            was = now;
          });
        },
      ),
    );
  });
  test("of two that want one channel the later has it; others go on beside it", () => {
    const pinMove = "m-root_arm_a";
    const other = { ...trigger("pin", "s2", pinMove), on: { type: "node" as const, key: "root/arm/a" } };
    const t = new Triggers(program, [trigger("first", "s0"), trigger("second", "s1"), other]);
    t.toggle("first");
    t.advance(5);
    t.toggle("pin");
    t.toggle("second");
    t.advance(5);
    const open = at(0, t);
    expect([x(open), z(open)]).toEqual([30, 90]);
    expect(open.values[program.channelOf({ type: "node", key: "root/arm/a" }, "slide.y")]).toBe(5);
    // Played back, it stands where the first had brought it.
    t.toggle("second");
    t.advance(5);
    expect(x(at(0, t))).toBe(10);
    t.reset();
    expect(x(at(0, t))).toBe(0);
  });
  test("ends as the film does wherever in the film it is pressed", () => {
    const t = new Triggers(program, [trigger("first", "s0")]);
    const late = program.steps.length - 1;
    t.toggle("first");
    expect(x(at(late, t))).toBe(30);
    t.advance(9);
    expect(x(at(late, t))).toBe(10);
  });
  test("of a whole step plays all of its parts; of what is off, gone or moves no part there is nothing", () => {
    const s = film();
    if (s.steps.s2) s.steps.s2.on = false;
    const other = compile(smallIndex(), preparation(), s);
    const list = [trigger("step", "s1", null), trigger("off", "s2", null), trigger("gone", "s0", "nothing")];
    expect(new Triggers(other, list).list.map((t) => t.id)).toEqual(["step"]);
  });
  test("turns freely too: from where it stands, without a jump, to where the film has it", () => {
    const turn = (deg: number, axis: number) => {
      const q = [0, 0, 0, Math.cos((deg * Math.PI) / 360)];
      q[axis] = Math.sin((deg * Math.PI) / 360);
      return q as [number, number, number, number];
    };
    const [first, second] = [key("a", 1, 0.5, {}), key("b", 1, 1, {})];
    Object.assign(first, { orientation: turn(80, 0) });
    Object.assign(second, { orientation: turn(120, 2) });
    const p = compile(smallIndex(), preparation(), sequenceOf([{ [ARM]: [first] }, { [ARM]: [second] }]));
    const c = p.trackPart(on)?.orientation ?? -1;
    const t = new Triggers(p, [trigger("second", "s1")]);
    const now = (): number[] => {
      const out = createPose(p);
      pose(p, 0, out, t.overrides(0));
      return [...out.orientations.slice(4 * c, 4 * c + 4)];
    };
    const apart = (a: number[], b: readonly number[]) =>
      1 - Math.abs(a.reduce((sum, v, k) => sum + v * (b[k] as number), 0));
    expect(now()).toEqual([0, 0, 0, 1]);
    t.toggle("second");
    expect(apart(now(), [0, 0, 0, 1])).toBeLessThan(1e-12);
    let was = now();
    for (let i = 0; i < 50; i++) {
      t.advance(0.02);
      expect(apart(now(), was)).toBeLessThan(0.01);
      was = now();
    }
    t.advance(1);
    expect(apart(now(), turn(120, 2))).toBeLessThan(1e-12);
  });
  test("takes a moment even where the film jumps", () => {
    const s = sequenceOf([{ [ARM]: [key("a", 1, 0, { "slide.x": 10 })] }]);
    const p = compile(smallIndex(), preparation(), s);
    const t = new Triggers(p, [trigger("jump", "s0")]);
    t.toggle("jump");
    expect(t.advance(0.1)).toBe(true);
    expect(t.advance(0.1)).toBe(false);
    expect(seconds(1)).toBeGreaterThan(0);
  });
});
