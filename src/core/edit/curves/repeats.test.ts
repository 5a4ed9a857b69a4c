import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../../tests/support/assembly";
import { real } from "../../../../tests/support/real";
import { hand, type Sequence, type Target } from "../../document/sequence";
import { nth } from "../../math/packed";
import { compile } from "../../program/compile";
import { difference } from "../handKeys";
import { runCommand } from "../history";
import { channelCurve, ownCurve } from "./channel";
import { type CurveRef, setHandle, setShapes, setSplit } from "./edit";
import { insertKey } from "./insert";
import { deleteCurveKeys, thinOut } from "./remove";

const ARM: Target = { type: "node", key: "root/arm" };
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const programOf = (s: Sequence) => compile(smallIndex(), preparation(), s);
/** A move of three arrivals, one of which lies on the line between its neighbours, done three times. */
function film(way: "same" | "swing" | "add", end = way === "add" ? 8 : 0): Sequence {
  const s = sequenceOf([
    {
      "root/arm": [
        key("a", 0.5, 0.5, { "slide.x": 10 }, STEADY),
        key("b", 1, "previous", { "slide.x": 20 }, STEADY),
        key("c", 1.5, "previous", { "slide.x": end }, STEADY),
      ],
    },
  ]);
  const move = hand(s.steps.s0?.moves["m-root_arm"]);
  if (move) move.repeat = { times: 3, period: null, way };
  return s;
}
const refs = (...keys: string[]): CurveRef[] =>
  keys.map((k) => ({ step: "s0", move: "m-root_arm", key: k, channel: "slide.x" }));
const keysOf = (s: Sequence) => hand(s.steps.s0?.moves["m-root_arm"])?.keys ?? {};
const off = (a: Sequence, b: Sequence) => difference(programOf(a), programOf(b), [ARM]);

describe.each(["same", "swing", "add"] as const)("what is repeated (%s)", (way) => {
  const s = film(way);
  const program = programOf(s);

  test("is shown every time, and is one arrival each", () => {
    const { keys } = channelCurve(program, ARM, "slide.x");
    expect(keys.map((k) => k.pass)).toEqual([0, 0, 0, 1, 1, 1, 2, 2, 2]);
    expect(keys.map((k) => k.back)).toEqual(Array.from({ length: 9 }, (_, i) => way === "swing" && i > 2 && i < 6));
    expect(ownCurve(program, ARM, "slide.x").keys.map((k) => k.key)).toEqual(["a", "b", "c"]);
  });
  test("is thinned out once: what lies on the line goes, and every time is as before", () => {
    const { command, removed, error } = thinOut(program, ARM, "slide.x", 0.01);
    const { document } = runCommand(s, command);
    expect([removed, error < 1e-6]).toEqual([1, true]);
    expect(Object.values(keysOf(document)).map((k) => k.values["slide.x"])).toEqual([20, way === "add" ? 8 : 0]);
    expect(off(s, document)).toBeLessThan(1e-3);
  });
  test("loses a point once, its curve kept", () => {
    const { command, error } = deleteCurveKeys(program, ARM, refs("a"));
    const { document } = runCommand(s, command);
    expect(error).toBeLessThan(1e-6);
    expect(Object.keys(keysOf(document))).not.toContain("a");
    expect(off(s, document)).toBeLessThan(1e-3);
  });
  test("gets handles of its own as it goes the first time", () => {
    const { document } = runCommand(s, setShapes(program, ARM, refs("a", "b", "c"), "handles"));
    expect(off(s, document)).toBeLessThan(1e-3);
  });
  test("a handle at its last point, and points put in line, leave the first time's other points be", () => {
    const { document } = runCommand(
      s,
      setHandle(program, ARM, refs("c")[0] as CurveRef, "arrive", { share: 0.4, value: 3 }),
    );
    const shape = keysOf(document).c?.shapes?.["slide.x"];
    expect(shape).toMatchObject({ kind: "handles", arrive: { share: 0.4, value: 3 } });
    const apart = runCommand(s, setSplit(program, ARM, refs("c"), true)).document;
    const joined = runCommand(apart, setSplit(programOf(apart), ARM, refs("c"), false)).document;
    expect(keysOf(joined).b).toEqual(keysOf(s).b);
  });
  test("a point put in anywhere changes nothing, and is where it was asked for", () => {
    fc.assert(
      fc.property(real(0.01, 4.49), (at) => {
        const t = seconds(0.5 + at);
        if (channelCurve(program, ARM, "slide.x").keys.some((k) => Math.abs(k.at - t) < seconds(0.01))) return;
        const { command, ref } = insertKey(program, ARM, "slide.x", t);
        const { document } = runCommand(s, command);
        expect(off(s, document)).toBeLessThan(1e-3);
        const after = channelCurve(programOf(document), ARM, "slide.x");
        expect(keysOf(document)[ref.key]?.at).toBeLessThan(seconds(1.5));
        const ends = [...after.keys.filter((k) => k.key === ref.key).flatMap((k) => [k.at, k.segment.t0])];
        expect(ends.some((e) => Math.abs(e - t) < 3)).toBe(true);
        expect(nth(programOf(document).steps.end, 0)).toBe(nth(program.steps.end, 0));
      }),
      { numRuns: 40, endOnFailure: true },
    );
  });
});

test("a point in a rest of a repeat is refused with where it can be put", () => {
  const s = film("same");
  const move = hand(s.steps.s0?.moves["m-root_arm"]);
  if (move?.repeat) move.repeat.period = seconds(2.5);
  expect(() => insertKey(programOf(s), ARM, "slide.x", seconds(0.5 + 4.4))).toThrow("first time");
});

test("where each time begins where the last one ended, what would change the others is left", () => {
  const s = film("same", 8);
  expect(thinOut(programOf(s), ARM, "slide.x", 0.01).removed).toBe(0);
  // Asked for by name it goes, and it is said that the curve could not be kept.
  expect(deleteCurveKeys(programOf(s), ARM, refs("a")).error).toBeNull();
  expect(deleteCurveKeys(programOf(s), ARM, refs("b")).error).not.toBeNull();
});

test("a handle at the end leaves the first arrival be where each time comes to it from elsewhere", () => {
  const s = film("same", 8);
  const set = setHandle(programOf(s), ARM, refs("c")[0] as CurveRef, "arrive", { share: 0.4, value: 3 });
  expect(keysOf(runCommand(s, set).document).a).toEqual(keysOf(s).a);
  const joined = runCommand(s, setSplit(programOf(s), ARM, refs("c"), false)).document;
  expect(keysOf(joined).a).toEqual(keysOf(s).a);
});
