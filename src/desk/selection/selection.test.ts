import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, sequenceOf } from "../../../tests/support/assembly";
import type { KeyRef, MoveRef, PointRef } from "./refs";
import {
  besides,
  camera,
  follow,
  listed,
  look,
  NO_PARTS,
  nothing,
  type Parts,
  parts,
  points,
  pruned,
  renumbered,
  type Selection,
  selectedOf,
  showStep,
  timed,
  withTimed,
} from "./selection";

const sequence = sequenceOf([
  { "root/arm": [key("a", 0.5, 0.2, { "slide.x": 1 }), key("b", 1.5, 0.2, { "slide.x": 2 })] },
  { "root/arm/a": [key("c", 1, 0.2, { "turn.x": 5 })] },
]);
const prepared = { ...preparation(), groups: { g: { id: "g", name: "G", members: ["root/base"] } } };
const MOVE = Object.keys(sequence.steps.s0?.moves ?? {})[0] as string;
const OTHER = Object.keys(sequence.steps.s1?.moves ?? {})[0] as string;
const a: KeyRef = { step: "s0", move: MOVE, key: "a" };
const b: KeyRef = { step: "s0", move: MOVE, key: "b" };
const m0: MoveRef = { step: "s0", move: MOVE };
const m1: MoveRef = { step: "s1", move: OTHER };
const point = (k: KeyRef, channel = "slide.x"): PointRef => ({
  ...k,
  channel,
  target: { type: "node", key: "root/arm" },
});
const two: Parts = { nodes: [1, 2], group: null };
const none = nothing("s0");

describe("one thing is selected at a time", () => {
  test("a move that is chosen after an arrival takes its place, so that Delete takes one of them", () => {
    const pin = withTimed(none, [a], [], "set", "s0");
    expect(selectedOf(pin)).toMatchObject({ pins: [a], marked: [], focus: { kind: "key", ref: a } });
    expect(selectedOf(listed(pin, m0))).toMatchObject({ pins: [], marked: [m0], focus: { kind: "move", ref: m0 } });
    expect(selectedOf(points(pin, [point(a)], "set", "s0"))).toMatchObject({
      pins: [],
      marked: [],
      points: [point(a)],
      focus: { kind: "curve" },
    });
    expect(selectedOf(parts(two, "s0"))).toMatchObject({
      selection: [1, 2],
      pins: [],
      points: [],
      focus: { kind: "parts" },
    });
    expect(selectedOf(camera())).toMatchObject({ selection: [], pins: [], focus: { kind: "camera" } });
  });
  test("several in time show what can be done with all of them; toggled once more they are left out", () => {
    const more = withTimed(withTimed(none, [a], [], "set", "s0"), [b], [m1], "add", "s0");
    expect(selectedOf(more)).toMatchObject({ pins: [a, b], marked: [m1], focus: { kind: "timing" } });
    expect(selectedOf(withTimed(more, [b], [m1], "toggle", "s0"))).toMatchObject({
      pins: [a],
      marked: [],
      focus: { kind: "key", ref: a },
    });
    expect(selectedOf(withTimed(more, [a], [], "add", "s0")).pins).toHaveLength(2);
    expect(selectedOf(withTimed(more, [], [], "set", "s1")).focus).toEqual({ kind: "step", id: "s1" });
  });
  test("in a step's list the list stays while more are chosen", () => {
    const one = listed(none, m0);
    expect(selectedOf(one).focus).toEqual({ kind: "move", ref: m0 });
    const more = listed(one, { ...m0, move: "x" }, { more: true });
    expect(selectedOf(more)).toMatchObject({ focus: { kind: "step", id: "s0" } });
    expect(selectedOf(more).marked).toHaveLength(2);
    expect(selectedOf(listed(more, m0, { more: true })).marked).toEqual([{ ...m0, move: "x" }]);
    expect(selectedOf(listed(none, m0, { range: [m0, m1] })).marked).toEqual([m0, m1]);
  });
  test("points join points, and the parts whose curves are shown stay", () => {
    const shown = parts(two, "s0");
    const one = points(shown, [point(a)], "set", "s0");
    expect(selectedOf(one).selection).toEqual([1, 2]);
    const both = points(one, [point(a), point(b)], "add", "s0");
    expect(selectedOf(both).points).toHaveLength(2);
    expect(selectedOf(points(both, [point(a)], "toggle", "s0")).points).toEqual([point(b)]);
    expect(selectedOf(points(both, [point(a), point(b)], "toggle", "s1"))).toMatchObject({
      selection: [1, 2],
      focus: { kind: "step", id: "s1" },
    });
  });
  test("parts are chosen beside a look and beside a step's details; without any the step comes back", () => {
    expect(selectedOf(besides(look(none), two, "s0"))).toMatchObject({ selection: [1, 2], focus: { kind: "look" } });
    expect(selectedOf(besides(parts(two, "s0"), NO_PARTS, "s1"))).toMatchObject({
      selection: [],
      focus: { kind: "step", id: "s1" },
    });
    expect(selectedOf(showStep(parts(two, "s0"), "s1"))).toMatchObject({
      selection: [1, 2],
      focus: { kind: "step", id: "s1" },
    });
    expect(follow(none, "s1")).toEqual(nothing("s1"));
    expect(follow(look(none), "s1")).toEqual(look(none));
    // Moves that are selected stay so in another step's details: they are to be put in there. Delete means none of
    // them.
    const shown = showStep(listed(none, m0), "s1");
    expect(selectedOf(shown)).toMatchObject({ marked: [m0], focus: { kind: "step", id: "s1" } });
    expect(selectedOf(follow(shown, "s0")).focus).toEqual({ kind: "step", id: "s0" });
    expect(
      renumbered(parts({ nodes: [1, 2, 3], group: null }, "s0"), (n) => (n === 2 ? -1 : n + 10)).parts.nodes,
    ).toEqual([11, 13]);
  });
});

describe("what is gone is let go", () => {
  const without = (step: string, move: string, k?: string) => {
    const s = structuredClone(sequence);
    const found = s.steps[step]?.moves[move];
    if (k && found?.kind === "hand") delete found.keys[k];
    else delete s.steps[step]?.moves[move];
    return s;
  };
  const after = (s: Selection, changed = sequence, p = prepared) => selectedOf(pruned(s, changed, p, "s1"));

  test("an arrival that is gone leaves the others, or what it moved, or its step", () => {
    const both = timed([a, b], [], NO_PARTS, "s0");
    expect(after(both, without("s0", MOVE, "a"))).toMatchObject({ pins: [b], focus: { kind: "key", ref: b } });
    expect(after(timed([a], [], two, "s0"), without("s0", MOVE, "a")).focus).toEqual({ kind: "parts" });
    expect(after(timed([a], [], NO_PARTS, "s0"), without("s0", MOVE)).focus).toEqual({ kind: "step", id: "s0" });
    expect(after(listed(none, m0), without("s0", MOVE)).focus).toEqual({ kind: "step", id: "s0" });
  });
  test("a channel that is gone takes its point along", () => {
    const p = points(none, [point(a), point(a, "slide.y")], "set", "s0");
    expect(after(p).points).toEqual([point(a)]);
    expect(after(p, without("s0", MOVE)).focus).toEqual({ kind: "step", id: "s1" });
  });
  test("a group that is gone, a step that is gone", () => {
    expect(after(parts({ nodes: [4], group: "g" }, "s0"), sequence, preparation() as typeof prepared)).toMatchObject({
      selection: [],
      group: null,
      focus: { kind: "step", id: "s1" },
    });
    const s = structuredClone(sequence);
    delete s.steps.s0;
    s.stepOrder = ["s1"];
    expect(after(none, s).focus).toEqual({ kind: "step", id: "s1" });
  });
  test("nothing changes where nothing is gone, and what is derived is always of one kind", () => {
    const step: fc.Arbitrary<(s: Selection) => Selection> = fc.constantFrom<((s: Selection) => Selection)[]>(
      () => nothing("s1"),
      () => parts(two, "s0"),
      () => parts({ nodes: [4], group: "g" }, "s0"),
      (s) => withTimed(s, [a], [], "add", "s0"),
      (s) => withTimed(s, [b], [m1], "toggle", "s0"),
      (s) => listed(s, m0, { more: true }),
      (s) => listed(s, m1),
      (s) => points(s, [point(a)], "toggle", "s0"),
      (s) => points(s, [point(b)], "add", "s0"),
      look,
      camera,
      (s) => showStep(s, "s1"),
      (s) => besides(s, two, "s0"),
      (s) => besides(s, NO_PARTS, "s0"),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
        const s = steps.reduce((now, f) => f(now), none);
        const d = selectedOf(s);
        expect([d.pins.length + d.marked.length > 0, d.points.length > 0].filter(Boolean).length).toBeLessThan(2);
        if (d.focus.kind === "curve") expect(d.points.length).toBeGreaterThan(0);
        if (d.focus.kind === "key") expect(d.pins).toContainEqual(d.focus.ref);
        if (d.focus.kind === "move") expect(d.marked).toContainEqual(d.focus.ref);
        if (d.focus.kind === "parts") expect(d.selection.length + (d.group ? 1 : 0)).toBeGreaterThan(0);
        expect(pruned(s, sequence, prepared, "s0")).toBe(s);
      }),
    );
  });
});
