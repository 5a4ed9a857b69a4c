import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, SOFT, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import type { PartTarget } from "../document/parts";
import type { Group, Preparation } from "../document/preparation";
import type { Move, Sequence, Target } from "../document/sequence";
import { compile, withPreparation } from "./compile";
import { pose } from "./pose";
import type { Program } from "./program";
import { createPose } from "./sampling";

const index = smallIndex();
const PARTS = ["root/arm", "root/arm/a", "root/arm/b", "root/base"];
const group = (id: string, members: string[], pivot?: Group["pivot"]): Group => ({
  ...{ id, name: id, members },
  ...(pivot ? { pivot } : {}),
});
const BASE = preparation();
const grouped = (...groups: Group[]): Preparation => ({
  ...BASE,
  groups: Object.fromEntries(groups.map((g) => [g.id, g])),
});

/** A sequence in which parts move by hand, and groups where they are named. */
function film(groups: readonly string[] = []): Sequence {
  const sequence = sequenceOf([
    {
      "root/arm": [key("k", 1, 1, { "slide.x": 9, "turn.z": 40 })],
      "root/arm/b": [key("k", 1.5, 1, { opacity: 0.5 })],
    },
    { "root/base": [key("k", 1, 0.5, { "turn.x": 15, tint: 0.3 })] },
  ]);
  for (const id of groups) {
    const like = sequence.steps.s0?.moves["m-root_arm"] as Move;
    const move = { ...structuredClone(like), id: `m-${id}`, target: { type: "group", id } } as Move;
    (sequence.steps.s1 as NonNullable<typeof sequence.steps.s1>).moves[move.id] = move;
  }
  return sequence;
}

/** All that is posed at some times. */
function posed(program: Program): unknown[] {
  const out = createPose(program);
  return [0, 1.2, 2, 3.9, 5, 6].map((s) => {
    pose(program, seconds(s), out);
    return [out.world, out.opacity, out.tint, out.visible, out.camera].map((list) => [...list]);
  });
}

const some = fc.subarray(PARTS);
const edits = fc.array(
  fc.record({
    id: fc.constantFrom("g", "h", "i"),
    members: fc.option(some, { nil: null }),
    pivot: fc.option(fc.constantFrom<Group["pivot"]>([0, 0, 0], [10, -4, 2]), { nil: undefined }),
    looked: fc.boolean(),
  }),
  { minLength: 1, maxLength: 6 },
);

test("whatever groups become, and whichever of them move, all stands as if it were compiled anew", () => {
  fc.assert(
    fc.property(fc.subarray(["g", "h"]), edits, (moved, list) => {
      const sequence = film(moved);
      let now = grouped(group("g", ["root/arm/a"]), group("h", ["root/base"]));
      let program = compile(index, now, sequence);
      for (const { id, members, pivot, looked } of list) {
        // Who selects a group has its channels made.
        if (looked) program.trackPart({ type: "group", id });
        const { [id]: _, ...rest } = now.groups;
        // What an edit leaves alone stays the same list.
        const was = now.groups[id]?.members;
        const kept = was && String(was) === String(members) ? was : members;
        now = { ...now, groups: kept ? { ...now.groups, [id]: group(id, kept, pivot) } : rest };
        program = withPreparation(program, now);
        const fresh = compile(index, now, sequence);
        expect(posed(program)).toEqual(posed(fresh));
        expect(program.groupList).toEqual(fresh.groupList);
        for (const g of fresh.groupList) {
          const target: Target = { type: "group", id: g.id };
          expect(program.trackPart(target)?.pivot).toEqual(fresh.trackPart(target)?.pivot);
        }
        expect(program.trackPart({ type: "group", id: "none" })).toBeNull();
      }
    }),
    { endOnFailure: true, numRuns: 60 },
  );
});

test("a pivot that was moved is taken in place, a part's or a group's", () => {
  const before = grouped(group("g", ["root/arm/a"]));
  const program = compile(index, before, film());
  const [part, whole] = [program.trackNode("root/arm/b"), program.trackPart({ type: "group", id: "g" })];
  const after: Preparation = {
    ...before,
    nodes: { "root/arm/b": { pivot: { in: "parent", at: [7, 8, 9] } } },
    groups: { g: { ...(before.groups.g as Group), pivot: [1, 2, 3] } },
  };
  expect(withPreparation(program, after)).toBe(program);
  expect(part?.pivot).toEqual([7, 8, 9]);
  expect(whole?.pivot).toEqual([1, 2, 3]);
});

describe("only what the sequence speaks of is compiled again", () => {
  const before = grouped(group("g", ["root/arm/a"]), group("h", ["root/base"]));
  const after = grouped(group("g", ["root/arm/a", "root/arm/b"]), before.groups.h as Group);
  const goesOn = (sequence: Sequence, was = before, is = after) => {
    const program = compile(index, was, sequence);
    return withPreparation(program, is) === program;
  };

  test("a group that nothing acts on comes, changes and goes in place; what was tracked of it is let go", () => {
    expect(goesOn(film())).toBe(true);
    expect(goesOn(film(["h"]))).toBe(true);
    expect(goesOn(film(["g"]))).toBe(false);
    const program = compile(index, before, film());
    const tracks = program.trackPart({ type: "group", id: "g" });
    expect(program.nodes).toContain(tracks);
    expect(withPreparation(program, grouped(before.groups.h as Group))).toBe(program);
    expect(program.nodes).not.toContain(tracks);
    expect(program.trackPart({ type: "group", id: "g" })).toBeNull();
    expect(program.channelOf({ type: "group", id: "g" }, "slide.x")).toBe(-1);
  });

  test("another name is taken in place, whatever moves", () => {
    const g = { ...(before.groups.g as Group), name: "Lid" };
    expect(goesOn(film(["g", "h"]), before, grouped(g, before.groups.h as Group))).toBe(true);
  });

  test("a group that a made move names, as its target or among its settings", () => {
    const made = (target: Target, change: (move: Move) => void = () => undefined) => {
      const sequence = film();
      const move: Move = {
        ...{ id: "m", name: "Apart", on: true, folder: null, colour: null, note: "", start: 0, length: seconds(1) },
        ...{ ease: SOFT, targets: [target as PartTarget], kind: "explode" },
        settings: { parts: {}, spread: 1, stagger: 0.35, lines: false, gap: 12 },
      };
      change(move);
      (sequence.steps.s0 as NonNullable<typeof sequence.steps.s0>).moves.m = move;
      return sequence;
    };
    expect(goesOn(made({ type: "group", id: "g" }))).toBe(false);
    expect(goesOn(made({ type: "group", id: "h" }))).toBe(true);
    const share = { direction: [0, 0, 1], distance: 5, order: 0, byHand: true };
    const within = (id: string) =>
      made({ type: "node", key: "root/base" }, (m) =>
        Object.assign(m, { settings: { spread: 1, stagger: 0.35, lines: false, gap: 12, parts: { [id]: share } } }),
      );
    expect(goesOn(within("g:g"))).toBe(false);
    expect(goesOn(within("g:h"))).toBe(true);
  });

  test("a group that a joint moves", () => {
    const held = (p: Preparation): Preparation => ({
      ...p,
      joints: { j: joint("j", { type: "group", id: "g" }) },
    });
    const joined = held(before);
    expect(goesOn(film(), joined, { ...after, joints: joined.joints })).toBe(false);
    expect(goesOn(film(), joined, { ...grouped(before.groups.g as Group), joints: joined.joints })).toBe(true);
  });
});
