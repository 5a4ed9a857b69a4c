import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { emptyPreparation } from "../document/preparation";
import type { Sequence } from "../document/sequence";
import { runCommand } from "../edit/history";
import { addStep, moveStep, removeStep, updateStep } from "../edit/sequenceCommands";
import { compile } from "../program/compile";
import { changesSince, printSteps } from "./prints";
import { CommentSchema, type Decision, DecisionSchema, mayToo, standings, type Verdict } from "./said";

const film = (): Sequence =>
  sequenceOf([
    { "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] },
    { "root/arm": [key("b", 1, 0.5, { "slide.z": 5 })] },
    {},
  ]);
const prints = (sequence: Sequence) => printSteps(compile(smallIndex(), emptyPreparation(), sequence));
const changed = (before: Sequence, now: Sequence) => changesSince(prints(before), prints(now));
const edited = (sequence: Sequence, command: (draft: Sequence) => void) =>
  runCommand<Sequence>(sequence, command as (d: Sequence) => void).document;

describe("what changed between rounds", () => {
  test("nothing, after edits that come to the same", () => {
    const before = film();
    const there = edited(before, updateStep("s0", { title: "other" }));
    const back = edited(there, updateStep("s0", { title: before.steps.s0?.title ?? "" }));
    expect(changed(before, back)).toEqual({
      steps: ["s0", "s1", "s2"].map((step) => ({ step, kind: "same" })),
      gone: [],
    });
    // A note is for the team alone.
    expect(changed(before, edited(before, updateStep("s0", { note: "check this" }))).steps[0]?.kind).toBe("same");
  });
  test("words, time or motion, each by its name and in its own step", () => {
    const before = film();
    const kinds = (now: Sequence) =>
      changed(before, now).steps.map((s) => (s.kind === "changed" ? s.what.join("+") : s.kind));
    expect(kinds(edited(before, updateStep("s1", { caption: "Look here" })))).toEqual(["same", "words", "same"]);
    expect(kinds(edited(before, updateStep("s2", { stillAfter: seconds(3) })))).toEqual(["same", "same", "time"]);
    const moved = film();
    for (const move of Object.values(moved.steps.s1?.moves ?? {}))
      if (move.kind === "hand") for (const k of Object.values(move.keys)) k.values["slide.z"] = 5.001;
    // What is elsewhere afterwards looks another in the steps that follow too.
    expect(kinds(moved)).toEqual(["same", "motion", "motion"]);
  });
  test("steps that are new, gone or in another order", () => {
    const before = film();
    const more = edited(before, addStep("s9", "Between", "s0"));
    expect(changed(before, more).steps.map((s) => s.kind)).toEqual(["same", "new", "same", "same"]);
    expect(changed(before, edited(before, removeStep("s2"))).gone).toEqual(["s2"]);
    expect(changed(before, edited(before, moveStep("s2", 0))).steps.map((s) => s.step)).toEqual(["s2", "s0", "s1"]);
  });
});

describe("decisions", () => {
  const decision = (step: string, verdict: Verdict, who: string): Decision => ({
    ...{ step, verdict, at: "2026-01-01T00:00:00Z", carriedFrom: null },
    by: { id: who, name: who, guest: false },
  });
  test("the last of each person counts, and one who wants a change weighs more than all others", () => {
    const d = [decision("a", "change", "x"), decision("a", "fine", "y"), decision("b", "fine", "x")];
    expect(standings(["a", "b", "c"], d)).toEqual({
      steps: new Map([
        ["a", "change"],
        ["b", "fine"],
        ["c", "open"],
      ]),
      whole: "change",
    });
    expect(standings(["a", "b"], [...d, decision("a", "fine", "x")]).whole).toBe("fine");
    expect(standings([], []).whole).toBe("open");
  });
  test("the whole is fine only when every step is", () => {
    const person = fc.constantFrom("x", "y");
    const step = fc.constantFrom("a", "b", "c");
    const verdict = fc.constantFrom<Verdict>("fine", "change");
    fc.assert(
      fc.property(fc.array(fc.tuple(step, verdict, person)), (said) => {
        const { steps, whole } = standings(
          ["a", "b", "c"],
          said.map(([s, v, p]) => decision(s, v, p)),
        );
        expect(whole === "fine").toBe([...steps.values()].every((s) => s === "fine"));
        for (const s of ["a", "b", "c"]) {
          const mine = ["x", "y"].map((p) => said.filter(([q, , r]) => q === s && r === p).at(-1)?.[1]);
          expect(steps.get(s) === "change").toBe(mine.includes("change"));
        }
      }),
    );
  });
});

describe("what is sent", () => {
  const good = {
    ...{ id: "a".repeat(20), to: null, text: "Turn it further", step: "s0", from: 0, until: 10 },
    ...{ pin: { node: "root/arm", point: [1, 2, 3] }, seen: [0, 0, 0, 1, 2, 3, 0, 35], strokes: [[0.1, 0.2, 0.5]] },
  };
  const said = (change: object) => CommentSchema.safeParse({ ...good, ...change }).error?.issues[0]?.message;
  test("is taken as it is, and text without what turns it round or cannot be seen", () => {
    expect(said({})).toBeUndefined();
    expect(CommentSchema.parse({ ...good, text: " <b>a\u202e\u0000b</b>\r\n\n\n\nc " }).text).toBe("<b>ab</b>\n\nc");
  });
  test.each([
    [{ text: "" }, "Say something first."],
    [{ text: " \u200b\n " }, "Say something first."],
    [{ text: "x".repeat(4001) }, "A comment may have at most 4000 characters."],
    [{ text: "x".repeat(100_000) }, "A comment may have at most 4000 characters."],
    [{ strokes: [new Array(3 * 2001).fill(0.5)] }, "A line may have at most 2000 points. Draw it in several."],
    [{ strokes: new Array(41).fill([0, 0, 0]) }, "At most 40 lines can be drawn on a comment."],
    [{ strokes: [[0, 0, 0, 1]] }, "A line has three numbers a point."],
  ])("is refused in words", (change, words) => expect(said(change)).toBe(words));
  test("numbers that are none, and more than is asked for, are refused", () => {
    for (const change of [
      { pin: { node: "a", point: [Number.NaN, 0, 0] } },
      { seen: [1, 2] },
      { from: -1 },
      { settled: true },
      { by: { id: "x" } },
    ])
      expect(said(change)).toBeDefined();
    expect(DecisionSchema.safeParse({ step: "s0", verdict: "perhaps" }).success).toBe(false);
  });
  test("who may decide may comment, who may comment may look", () => {
    expect([mayToo("decide", "comment"), mayToo("comment", "look"), mayToo("look", "comment")]).toEqual([
      true,
      true,
      false,
    ]);
  });
});
