import { expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { parseDocument } from "../document/parse";
import { runCommand } from "./history";
import { addStep, dropStills, setNewSteps, setStepLength, usualStills } from "./sequenceCommands";

const film = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]);
const SECOND = seconds(1);

test("new steps begin without stills where the sequence says so, and with the usual ones otherwise", () => {
  const bare = runCommand(film(), setNewSteps("none")).document;
  expect(parseDocument("sequence", bare).newSteps).toBe("none");
  expect(runCommand(bare, addStep("n", "New")).document.steps.n).toMatchObject({ stillBefore: 0, stillAfter: 0 });
  const usual = runCommand(bare, setNewSteps("stills")).document;
  expect(runCommand(usual, addStep("n", "New")).document.steps.n).toMatchObject(usualStills(film()));
});

test("a step's length leaves its stills, or takes them; what moves in it is never cut", () => {
  const timing = (length: number, stills: "keep" | "none") => {
    const s = runCommand(film(), setStepLength("s0", seconds(length), stills)).document.steps.s0;
    return [s?.stillBefore, s?.action, s?.stillAfter].map((t) => (t ?? 0) / SECOND);
  };
  expect(timing(4, "keep")).toEqual([0.5, 3, 0.5]);
  expect(timing(4, "none")).toEqual([0, 4, 0]);
  expect(timing(2, "keep")).toEqual([0.5, 1, 0.5]);
  expect(timing(1, "none")).toEqual([0, 1, 0]);
  expect(() => timing(1.9, "keep")).toThrow(/at least 2 s/);
});

test("stills are taken away everywhere at once", () => {
  const s = runCommand(film(), dropStills()).document;
  for (const step of Object.values(s.steps)) expect([step.stillBefore, step.stillAfter]).toEqual([0, 0]);
});
