import { expect, test } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import type { Output } from "../document/outputs";
import { runCommand } from "./history";
import { addOutput, removeOutput, renameOutput, setOutput, setOutputRange } from "./outputCommands";
import type { SequenceCommand } from "./sequenceCommands";

const output = (id: string): Output => ({
  ...{ id, name: "Video", kind: "video", range: { of: "all" } },
  settings: { width: 100 },
});
const after = (...commands: SequenceCommand[]) =>
  commands.reduce((s, c) => runCommand(s, c).document, sequenceOf([{}]));

test("outputs are added under names of their own, set, renamed, and removed", () => {
  const two = after(addOutput(output("a")), addOutput(output("b")));
  expect(Object.values(two.outputs ?? {}).map((o) => o.name)).toEqual(["Video", "Video 2"]);
  const set = runCommand(two, setOutput("b", { width: 200, look: "l" })).document;
  expect(set.outputs?.b?.settings).toEqual({ width: 200, look: "l" });
  expect(set.outputs?.a).toBe(two.outputs?.a);
  const part = runCommand(two, setOutputRange("a", { of: "steps", first: "s0", last: "s0" })).document;
  expect(part.outputs?.a?.range).toEqual({ of: "steps", first: "s0", last: "s0" });
  expect(runCommand(two, renameOutput("b", "  For the web ")).document.outputs?.b?.name).toBe("For the web");
  const none = [removeOutput("a"), removeOutput("b")].reduce((s, c) => runCommand(s, c).document, two);
  expect("outputs" in none).toBe(false);
});
test("what cannot be is refused, and nothing is changed", () => {
  const two = after(addOutput(output("a")), addOutput(output("b")));
  expect(() => renameOutput("a", "  ")).toThrow("needs a name");
  expect(() => runCommand(two, renameOutput("b", "Video"))).toThrow('called "Video" already');
  expect(() => runCommand(two, setOutput("gone", {}))).toThrow("no longer exists");
  expect(() => runCommand(two, removeOutput("gone"))).toThrow("no longer exists");
  let many = two;
  for (let i = 2; i < 100; i++) many = runCommand(many, addOutput(output(`o${i}`))).document;
  expect(() => runCommand(many, addOutput(output("more")))).toThrow("up to 100");
});
