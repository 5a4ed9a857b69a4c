import { beforeEach, expect, test, vi } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Desk } from "../port";
import { clickable, clickables, setTriggerKey, setTriggerPart, switchTrigger } from "./triggers";

let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("fetch", () => Promise.reject(new Error("no network")));
  desk = smallDesk(
    sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 5 })], camera: [key("c", 1, 1, { azimuth: 9 })] }]),
  );
});
const list = () => Object.values(desk.body().triggers ?? {}).map(({ id: _, ...t }) => t);
const arm = { step: "s0", move: "m-root_arm" };

test("a move is played by a click on what it moves, taken back and switched off by one act each", () => {
  switchTrigger(desk, arm, true);
  expect(list()).toEqual([{ ...arm, on: { type: "node", key: "root/arm" }, key: null }]);
  expect(setTriggerKey(desk, arm, "a")).toBe(true);
  expect(list()[0]?.key).toBe("a");
  desk.undo();
  expect(list()[0]?.key).toBeNull();
  switchTrigger(desk, arm, true);
  expect(list()).toHaveLength(1);
  switchTrigger(desk, arm, false);
  expect(desk.body()).not.toHaveProperty("triggers");
  expect(setTriggerKey(desk, arm, "b")).toBe(false);
});
test("a camera's move has nothing to click; a whole step has its key and its button", () => {
  expect(clickable(desk, { step: "s0", move: "m-camera" })).toBeNull();
  switchTrigger(desk, { step: "s0", move: null }, true);
  expect(list()).toEqual([{ step: "s0", move: null, on: null, key: null }]);
  switchTrigger(desk, arm, true);
  setTriggerKey(desk, arm, "a");
  expect(setTriggerKey(desk, { step: "s0", move: null }, "a")).toBe(false);
  expect(desk.state.notice?.text).toMatch(/played by the key A/);
});
test("another part can be what is clicked, for a whole step as well; nothing leaves key and button", () => {
  switchTrigger(desk, arm, true);
  const all = clickables(desk, arm);
  // What the move acts on first, then everything, each once.
  expect(all[0]?.target).toEqual({ type: "node", key: "root/arm" });
  expect(all.map((c) => c.name)).toHaveLength(new Set(all.map((c) => c.name)).size);
  expect(all).toHaveLength(desk.index.assembly.nodes.length);
  const base = { type: "node", key: "root/base" } as const;
  expect(setTriggerPart(desk, arm, base)).toBe(true);
  expect(list()[0]?.on).toEqual(base);
  expect(setTriggerPart(desk, arm, null)).toBe(true);
  expect(list()[0]?.on).toBeNull();
  desk.undo();
  expect(list()[0]?.on).toEqual(base);
  const step = { step: "s0", move: null };
  expect(setTriggerPart(desk, step, base)).toBe(false);
  switchTrigger(desk, step, true);
  expect(setTriggerPart(desk, step, base)).toBe(true);
});
test("who may only look changes nothing, undo and redo included, and is told why each time", () => {
  switchTrigger(desk, arm, true);
  desk.set({ locked: "You are a reviewer here.", notice: null });
  switchTrigger(desk, arm, false);
  expect(list()).toHaveLength(1);
  expect(desk.state.notice?.text).toBe("You are a reviewer here.");
  desk.undo();
  expect(list()).toHaveLength(1);
  desk.set({ locked: null });
  desk.undo();
  expect(list()).toHaveLength(0);
  desk.set({ locked: "You are a reviewer here." });
  desk.redo();
  expect(list()).toHaveLength(0);
});
