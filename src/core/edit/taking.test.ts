import { describe, expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { hand, type Sequence } from "../document/sequence";
import { History, type HistoryEntry, runCommand } from "./history";
import { reversalsOf, reversedCopies } from "./moveCommands";
import { duplicateStep, moveStep, removeStep, type SequenceCommand, setRate, updateStep } from "./sequenceCommands";
import { addMarker } from "./timing/markers";
import { together } from "./together";

const film = () =>
  sequenceOf([
    { "root/arm": [key("a", 0.5, 0.2, { "slide.x": 4 })] },
    { "root/arm": [key("b", 1, 0.4, { "slide.x": 9 })] },
    {},
  ]);
const after = (s: Sequence, ...c: SequenceCommand[]) => runCommand(s, together(c)).document;

describe("undo and redo", () => {
  const entry = (n: number, merge: string | null = null, document = "d"): HistoryEntry => ({
    label: `act ${n}`,
    merge,
    parts: [
      {
        document,
        patches: [{ op: "replace", path: ["name"], value: n }],
        inverse: [{ op: "replace", path: ["name"], value: n - 1 }],
      },
    ],
  });
  const values = (s: { parts: { patches: readonly { value?: unknown }[] }[] } | null) =>
    s?.parts.flatMap((p) => p.patches.map((x) => x.value));

  test("keep the last five hundred, the oldest goes first", () => {
    const h = new History();
    for (let i = 1; i <= History.LIMIT + 3; i++) h.push(entry(i));
    let n = 0;
    let last = "";
    for (let s = h.undo(); s; s = h.undo()) {
      n++;
      last = s.label;
    }
    expect([n, last]).toEqual([History.LIMIT, "act 4"]);
  });
  test("one drag is one entry, taken back from its end to its beginning; after it is let go of, another begins", () => {
    const h = new History();
    h.push(entry(1, "drag"));
    h.push(entry(2, "drag"));
    h.push(entry(3, "drag"));
    h.seal();
    h.push(entry(4, "drag"));
    expect(values(h.undo())).toEqual([3]);
    expect(values(h.undo())).toEqual([2, 1, 0]);
    expect(h.undo()).toBeNull();
    expect(values(h.redo())).toEqual([1, 2, 3]);
  });
  test("what was done again does not take in what comes after it", () => {
    const h = new History();
    h.push(entry(1, "drag"));
    h.undo();
    h.redo();
    h.push(entry(2, "drag"));
    expect([h.undo()?.label, h.undo()?.label, h.undo()]).toEqual(["act 2", "act 1", null]);
  });
  test("entries of other documents, or without a name to merge by, stand alone; a new act ends what could be done again", () => {
    const h = new History();
    h.push(entry(1, "drag"));
    h.push(entry(2, "drag", "other"));
    h.push(entry(3));
    h.push(entry(4));
    expect([h.undo()?.label, h.redoLabel]).toEqual(["act 4", "act 4"]);
    h.push(entry(5));
    expect([h.redoLabel, h.undoLabel]).toEqual([null, "act 5"]);
    expect([1, 2, 3, 4].map(() => h.undo()?.label)).toEqual(["act 5", "act 3", "act 2", "act 1"]);
  });
  test("several documents are taken back in the other order, and what lies beside them", () => {
    const h = new History();
    h.push({
      label: "both",
      merge: null,
      parts: [...entry(1).parts, ...entry(2, null, "e").parts],
      outside: { undo: "before", redo: "after" },
    });
    const back = h.undo();
    expect([back?.parts.map((p) => p.document), back?.outside]).toEqual([["e", "d"], "before"]);
    const again = h.redo();
    expect([again?.parts.map((p) => p.document), again?.outside]).toEqual([["d", "e"], "after"]);
  });
});

describe("steps", () => {
  test("a step that is removed takes its markers and timings along, others' stay; the last one stays", () => {
    let s = after(film(), addMarker("m", "One", "s0", 0), addMarker("n", "Two", "s1", 0));
    s = {
      ...s,
      timings: {
        v: { id: "v", name: "V", steps: { s0: structuredClone(s.steps.s0) as never } },
        w: {
          id: "w",
          name: "W",
          steps: { s0: structuredClone(s.steps.s0) as never, s1: structuredClone(s.steps.s1) as never },
        },
      },
    };
    const gone = after(s, removeStep("s0"));
    expect(Object.keys(gone.markers)).toEqual(["n"]);
    expect([Object.keys(gone.timings), Object.keys(gone.timings.w?.steps ?? {})]).toEqual([["w"], ["s1"]]);
    expect(() => after(gone, removeStep("s1"), removeStep("s2"))).toThrow("A sequence keeps at least one step.");
  });
  test("moved beyond either end it lies at the end", () => {
    expect(after(film(), moveStep("s0", 99)).stepOrder).toEqual(["s1", "s2", "s0"]);
    expect(after(film(), moveStep("s2", -4)).stepOrder).toEqual(["s2", "s0", "s1"]);
    expect(after(film(), moveStep("s0", 1)).stepOrder).toEqual(["s1", "s0", "s2"]);
  });
  test("a copy has moves of its own", () => {
    const s = after(film(), duplicateStep("s0", "copy"));
    expect(s.stepOrder).toEqual(["s0", "copy", "s1", "s2"]);
    const [a, b] = [Object.keys(s.steps.s0?.moves ?? {}), Object.keys(s.steps.copy?.moves ?? {})];
    expect(a.length).toBe(1);
    expect(b).not.toEqual(a);
  });
});

describe("another frame rate", () => {
  test("by frames everything grows, the length asked for and markers too; by the clock nothing changes", () => {
    const s = { ...after(film(), addMarker("m", "One", "s0", seconds(1))), goal: seconds(9) };
    const half = after(s, setRate({ num: 15, den: 1 }, "frames"));
    expect([half.goal, half.markers.m?.at, half.steps.s0?.stillBefore]).toEqual([seconds(18), seconds(2), seconds(1)]);
    const arm = hand(Object.values(half.steps.s0?.moves ?? {})[0]);
    expect([arm?.keys.a?.at, arm?.keys.a?.lead]).toEqual([seconds(1), seconds(0.4)]);
    const clock = after(s, setRate({ num: 15, den: 1 }, "seconds"));
    expect({ ...clock, rate: s.rate }).toEqual(s);
    expect(after({ ...s, goal: null }, setRate({ num: 60, den: 1 }, "frames")).goal).toBeNull();
  });
});

describe("reversed copies", () => {
  const refs = (s: Sequence) =>
    (["s0", "s1"] as const).map((step) => ({ step, move: Object.keys(s.steps[step]?.moves ?? {})[0] as string }));
  test("of several moves come the last first, one after the other, and are found by what they reverse", () => {
    const s = film();
    const { command, ids } = reversedCopies(s, refs(s), "s2", seconds(0.3), (m) => `${m.name} back`);
    const made = after(s, command);
    const moves = ids.map((id) => made.steps.s2?.moves[id]);
    expect(moves.every((m) => m?.kind === "back")).toBe(true);
    const byStart = [...moves].sort((a, b) => (a?.kind === "back" && b?.kind === "back" ? a.start - b.start : 0));
    expect(byStart.map((m) => (m?.kind === "back" ? m.settings.of.step : ""))).toEqual(["s1", "s0"]);
    const [first, second] = byStart;
    if (first?.kind !== "back" || second?.kind !== "back") throw new Error("not reversed");
    expect(first.start).toBe(seconds(0.3));
    expect(second.start).toBeGreaterThanOrEqual(first.start + first.length);
    expect(
      reversalsOf(made, refs(s))
        .map((r) => r.move)
        .sort(),
    ).toEqual([...ids].sort());
    expect(after(made, updateStep("s2", { title: "Back" })).steps.s2?.title).toBe("Back");
  });
});
