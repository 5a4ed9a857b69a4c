import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { type Sequence, SequenceSchema } from "../document/sequence";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { runCommand } from "./history";
import { mergeSteps, splitStep } from "./stepCommands";

const index = smallIndex();
const compiled = (s: Sequence) => compile(index, preparation(), s);

/** World matrices and camera at evenly spaced moments. */
function film(sequence: Sequence): number[][] {
  const program = compiled(sequence);
  const out = createPose(program);
  return Array.from({ length: 60 }, (_, i) => {
    pose(program, (program.steps.length * i) / 59, out);
    return [...out.world, ...out.camera].map((v) => Math.round(v * 1e7) / 1e7 + 0);
  });
}

/** Two steps with arrivals of every sort of lead. */
const lead = fc.oneof(
  fc.constant("previous" as const),
  fc.integer({ min: 0, max: 30 }).map((n) => n / 10),
);
const arrivals = fc
  .array(
    fc.tuple(fc.integer({ min: 1, max: 25 }), lead, fc.integer({ min: -20, max: 20 }), fc.boolean(), fc.boolean()),
    { minLength: 1, maxLength: 4 },
  )
  .map((list) =>
    [...new Map(list.map((l) => [l[0], l])).values()].map(([at, l, v, x, turn], i) =>
      key(`k${i}${at}`, at / 10, l === "previous" ? l : l, {
        ...(x || !turn ? { "slide.x": v } : {}),
        ...(turn ? { "turn.z": 3 * v } : {}),
      }),
    ),
  );
const story = fc.tuple(arrivals, arrivals, arrivals).map(([a, b, c]) => {
  const rename = (list: ReturnType<typeof key>[], to: string) => list.map((k) => ({ ...k, id: `${to}${k.id}` }));
  return sequenceOf([{ "root/arm": rename(a, "a") }, { "root/arm": rename(b, "b"), "root/base": rename(c, "c") }, {}]);
});

describe("merging two steps", () => {
  test("shows the same film, whatever the leads", () => {
    fc.assert(
      fc.property(story, (sequence) => {
        const first = sequence.stepOrder[0] as string;
        const merged = runCommand(sequence, mergeSteps(first)).document;
        expect(merged.stepOrder).toHaveLength(2);
        expect(SequenceSchema.safeParse(merged).success).toBe(true);
        expect(compiled(merged).steps.length).toBe(compiled(sequence).steps.length);
        expect(film(merged)).toEqual(film(sequence));
      }),
      { numRuns: 60 },
    );
  });
  test("is refused for the last one, and for one that is on with one that is off", () => {
    const sequence = sequenceOf([{}, {}]);
    const [a, b] = sequence.stepOrder as [string, string];
    expect(() => runCommand(sequence, mergeSteps(b))).toThrow(/no step after/);
    (sequence.steps[b] as Sequence["steps"][string]).on = false;
    expect(() => runCommand(sequence, mergeSteps(a))).toThrow(/only one is switched on/);
  });
});

describe("splitting a step", () => {
  test("what moves in another step at that time of it is no hindrance", () => {
    const s = sequenceOf([
      { "root/arm": [key("a", 2, 2, { "slide.x": 10 })] },
      { "root/base": [key("b", 0.5, 0.5, { "slide.x": 5 }), key("c", 4, 0.5, { "slide.x": 9 })] },
    ]);
    const [, id] = s.stepOrder as [string, string];
    // A second into the action the arm moves, but in the first step.
    const before = s.steps[id]?.stillBefore ?? 0;
    const split = runCommand(s, splitStep(compiled(s), id, before + seconds(1), "second")).document;
    expect(split.stepOrder).toHaveLength(3);
  });
  test("anywhere that is still shows the same film; merging again too", () => {
    fc.assert(
      fc.property(story, fc.integer({ min: 1, max: 99 }), (sequence, share) => {
        const id = sequence.stepOrder[1] as string;
        const program = compiled(sequence);
        const position = program.steps.position.get(id) as number;
        const length = nth(program.steps.end, position) - nth(program.steps.start, position);
        let split: Sequence;
        try {
          split = runCommand(sequence, splitStep(program, id, Math.round((length * share) / 100), "second")).document;
        } catch (error) {
          expect((error as Error).message).toMatch(/is moving there, and a movement cannot be cut/);
          return;
        }
        expect(SequenceSchema.safeParse(split).success).toBe(true);
        expect(compiled(split).steps.length).toBe(program.steps.length);
        expect(film(split)).toEqual(film(sequence));
        expect(film(runCommand(split, mergeSteps(id)).document)).toEqual(film(sequence));
      }),
      { numRuns: 80 },
    );
  });
  test("says what moves and when all is still next", () => {
    const sequence = sequenceOf([{ "root/arm": [key("a", 2, 1, { "slide.x": 5 })] }]);
    const id = sequence.stepOrder[0] as string;
    const program = compiled(sequence);
    const before = sequence.steps[id]?.stillBefore as number;
    expect(() => runCommand(sequence, splitStep(program, id, before + seconds(1.5), "n"))).toThrow(
      /is moving there.*still is 2(\.\d+)? s|is moving there.* s into the step/,
    );
    for (const at of [0, -5, seconds(100)])
      expect(() => runCommand(sequence, splitStep(program, id, at, "n"))).toThrow(/inside the step/);
  });
});

describe("merging", () => {
  const texts = (a: string, b: string) => {
    const s = sequenceOf([{}, {}]);
    (s.steps.s0 as Sequence["steps"][string]).caption = a;
    (s.steps.s1 as Sequence["steps"][string]).caption = b;
    return s;
  };
  test("puts captions below one another, one that both have once, and cuts nothing off", () => {
    expect(runCommand(texts("one", "two"), mergeSteps("s0")).document.steps.s0?.caption).toBe("one\ntwo");
    const long = "x".repeat(800);
    expect(runCommand(texts(long, long), mergeSteps("s0")).document.steps.s0?.caption).toBe(long);
    expect(() => runCommand(texts(long, "y".repeat(800)), mergeSteps("s0"))).toThrow(
      "The two captions have 1601 characters together, and a caption may have 1000.",
    );
    const merged = runCommand(texts("x".repeat(499), "y".repeat(500)), mergeSteps("s0")).document;
    expect(SequenceSchema.safeParse(merged).success).toBe(true);
  });
});
