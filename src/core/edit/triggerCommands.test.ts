import { expect, test } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { SequenceSchema } from "../document/sequence";
import type { Trigger } from "../document/triggers";
import { runCommand } from "./history";
import { removeStep, type SequenceCommand } from "./sequenceCommands";
import { together } from "./together";
import { removeTrigger, setTrigger, triggerOf } from "./triggerCommands";

const film = () => sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 5 })] }, {}]);
const after = (s: ReturnType<typeof film>, ...c: SequenceCommand[]) =>
  SequenceSchema.parse(runCommand(s, together(c)).document);
const on = { type: "node" as const, key: "root/arm" };
const trigger = (id: string, more: Partial<Trigger> = {}): Trigger => ({
  ...{ id, step: "s0", move: "m-root_arm", on, key: null },
  ...more,
});

test("a trigger is added, found by what it plays, changed and removed without a trace", () => {
  const s = after(film(), setTrigger(trigger("t")));
  expect(triggerOf(s, "s0", "m-root_arm")?.id).toBe("t");
  expect(triggerOf(s, "s0", null)).toBeUndefined();
  expect(after(s, setTrigger(trigger("t", { key: "o" }))).triggers?.t?.key).toBe("o");
  expect(after(s, removeTrigger("t"))).toEqual(film());
  expect(() => after(film(), removeTrigger("t"))).toThrow(/no longer exists/);
});
test("a key plays one thing; what is gone is not played", () => {
  const s = after(film(), setTrigger(trigger("t", { key: "o" })));
  expect(() => after(s, setTrigger(trigger("u", { move: null, key: "o" })))).toThrow(
    "Another move is played by the key O",
  );
  expect(() => after(s, setTrigger(trigger("u", { move: "gone" })))).toThrow(/move no longer/);
  expect(() => after(s, setTrigger(trigger("u", { step: "gone" })))).toThrow(/step no longer/);
});
test("goes with its step", () => {
  expect(after(film(), setTrigger(trigger("t")), removeStep("s0"))).not.toHaveProperty("triggers");
});
