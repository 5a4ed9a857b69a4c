import fc from "fast-check";
import { expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { indexAssembly } from "../assembly/assembly";
import type { Sequence } from "../document/sequence";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { runCommand } from "./history";
import { keepPosesOverPivot, turnedArrivals } from "./pivotChanges";
import { setPivot } from "./preparationCommands";
import { keepTiming, withTiming } from "./timing/versions";

const index = indexAssembly(cubePackage().assembly);
const target = { type: "node", key: "root/arm" } as const;
const arm = index.indexOf.get("root/arm") as number;

test("every arrival stays where it was when the pivot moves, whatever was keyed", () => {
  const angle = fc.integer({ min: -400, max: 400 });
  const place = fc.tuple(angle, angle, angle);
  fc.assert(
    fc.property(place, place, angle, angle, angle, (from, to, x, z, slide) => {
      const timed = sequenceOf([
        { "root/arm": [key("a", 1, 0.5, { "turn.x": x, "slide.y": slide }), key("b", 2, 0.5, { "turn.z": z })] },
        { "root/arm": [key("c", 1, 1, { "turn.x": 0 })] },
      ]);
      // Another timing, with the first two arrivals the other way round.
      const other = sequenceOf([
        { "root/arm": [key("b", 1, 0.5, { "turn.z": z }), key("a", 2, 0.5, { "turn.x": x, "slide.y": slide })] },
      ]);
      const sequence = runCommand(timed, (d) => keepTiming(other, "v", "Other", ["s0"])(d)).document;
      const before = runCommand(preparation(), setPivot(target, { at: from, in: "part" })).document;
      const after = runCommand(before, setPivot(target, { at: to, in: "part" })).document;
      const kept = runCommand(sequence, keepPosesOverPivot(index, before, after, sequence, target)).document;
      for (const as of [(s: Sequence) => s, (s: Sequence) => withTiming(s, "v")]) {
        const [p, q] = [compile(index, before, as(sequence)), compile(index, after, as(kept))];
        const [u, v] = [createPose(p), createPose(q)];
        p.steps.ids.forEach((_, i) => {
          for (const at of [1, 2]) {
            const time = nth(p.steps.action, i) + seconds(at);
            pose(p, time, u);
            pose(q, time, v);
            for (let k = 0; k < 16; k++) expect(v.world[16 * arm + k]).toBeCloseTo(nth(u.world, 16 * arm + k), 6);
          }
        });
      }
    }),
    { numRuns: 40 },
  );
});

test("a part that only slides is left alone", () => {
  const sequence = sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }]);
  const after = runCommand(preparation(), setPivot(target, { at: [50, 0, 0], in: "part" })).document;
  expect(turnedArrivals(index, preparation(), sequence, target)).toBe(0);
  expect(runCommand(sequence, keepPosesOverPivot(index, preparation(), after, sequence, target)).patches).toEqual([]);
});

test("arrivals of a step that is switched off are left as they are", () => {
  const sequence = sequenceOf([
    { "root/arm": [key("a", 1, 0.5, { "turn.z": 90 })] },
    { "root/arm": [key("b", 1, 0.5, { "turn.z": 30 })] },
  ]);
  if (sequence.steps.s0) sequence.steps.s0.on = false;
  const after = runCommand(preparation(), setPivot(target, { at: [50, 0, 0], in: "part" })).document;
  expect(turnedArrivals(index, preparation(), sequence, target)).toBe(1);
  const kept = runCommand(sequence, keepPosesOverPivot(index, preparation(), after, sequence, target)).document;
  expect(kept.steps.s0).toEqual(sequence.steps.s0);
  expect(JSON.stringify(kept.steps.s1)).toMatch(/slide/);
});
