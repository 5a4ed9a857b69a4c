import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { keysOf } from "../../core/document/sequence";
import { setFlag } from "../../core/edit/preparationCommands";
import type { Desk } from "../port";
import { ARRIVING_DEFAULT, lastArriving, rememberArriving } from "../remembered/arrivingStore";
import { setArriving } from "./preferences";
import { commonValue, pendTyped, thatTell, typeValue, typeValues } from "./typing";

const A = { type: "node", key: "root/arm/a" } as const;
const B = { type: "node", key: "root/arm/b" } as const;
let desk: Desk;
const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal("localStorage", {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => kept.set(k, v),
    removeItem: (k: string) => kept.delete(k),
  });
  desk = smallDesk(sequenceOf([{ [A.key]: [key("a", 1, 0.5, { "slide.z": 4 })] }, {}]), preparation());
  desk.seek(seconds(2));
});
afterEach(() => vi.unstubAllGlobals());

test("a value counts for all; arithmetic is each one's own; what differs is said", () => {
  expect(commonValue(desk, [A, B], ["slide.z"])).toBeNull();
  expect(typeValue(desk, [A, B], ["slide.z"], "+5", "length")).toBeNull();
  expect([desk.valueOf(A, "slide.z"), desk.valueOf(B, "slide.z")]).toEqual([9, 5]);
  expect(typeValue(desk, [A, B], ["slide.z"], "*2", "length")).toBeNull();
  expect([desk.valueOf(A, "slide.z"), desk.valueOf(B, "slide.z")]).toEqual([18, 10]);
  expect(typeValue(desk, [A, B], ["slide.z"], "12", "length")).toBeNull();
  expect(commonValue(desk, [A, B], ["slide.z"])).toBe(12);
});

test("of many that are chosen those tell that move or wait, and one of those at rest", () => {
  const keys = desk.index.assembly.nodes.filter((n) => n.kind === "part").map(({ key }) => key);
  const all = keys.map((key) => ({ type: "node", key }) as const);
  const channels = ["slide.x", "slide.z", "size.x", "opacity", "turn.z"];
  const agree = () => {
    for (const c of channels) expect(commonValue(desk, thatTell(desk, all), [c])).toBe(commonValue(desk, all, [c]));
  };
  const told = thatTell(desk, all);
  expect(told).toHaveLength(2);
  expect(told).toContain(all.find((t) => t.key === A.key));
  agree();
  typeValue(desk, [B], ["slide.x"], "7", "length");
  expect(thatTell(desk, all).map((t) => (t.type === "node" ? t.key : ""))).toContain(B.key);
  agree();
});

test("for several it is shown and remembered once", () => {
  let shown = 0;
  const show = desk.show.bind(desk);
  desk.show = () => {
    shown++;
    show();
  };
  typeValue(desk, [A, B], ["slide.z"], "12", "length");
  expect(shown).toBe(1);
  expect(Object.keys(desk.state.pending)).toHaveLength(2);
  // And again on top of what waits.
  typeValue(desk, [A, B], ["slide.y"], "3", "length");
  expect(Object.values(desk.state.pending).map((p) => p.values)).toEqual([
    { "slide.z": 12, "slide.y": 3 },
    { "slide.z": 12, "slide.y": 3 },
  ]);
});

test("values typed one after another fill the fields from there on, for all at once, or none", () => {
  const slides = ["slide.y", "slide.z"].map((c) => [c]);
  expect(typeValues(desk, [A, B], slides, "2 +5", "length")).toBeNull();
  expect([A, B].map((t) => [desk.valueOf(t, "slide.y"), desk.valueOf(t, "slide.z")])).toEqual([
    [2, 9],
    [2, 5],
  ]);
  expect(typeValues(desk, [A], slides, "1 2 3", "length")).toMatch(/only 2 fields/);
  expect(typeValues(desk, [A], slides, "1 2miles", "length")).not.toBeNull();
  expect(desk.valueOf(A, "slide.y")).toBe(2);
});

test("one size for all three axes of each", () => {
  const sizes = ["size.x", "size.y", "size.z"];
  typeValue(desk, [A], ["size.x"], "2", "plain");
  expect(commonValue(desk, [A], sizes)).toBeNull();
  expect(typeValue(desk, [A, B], sizes, "*1.5", "plain")).toBeNull();
  expect(sizes.map((c) => [desk.valueOf(A, c), desk.valueOf(B, c)])).toEqual([
    [3, 1.5],
    [1.5, 1.5],
    [1.5, 1.5],
  ]);
  expect(typeValue(desk, [A, B], sizes, "1.2", "plain")).toBeNull();
  expect(commonValue(desk, [A, B], sizes)).toBe(1.2);
});

test("what cannot be read is taken by none; what is locked is named, the others take it", () => {
  expect(typeValue(desk, [A, B], ["slide.z"], "up", "length")).toMatch(/not a length/i);
  expect(desk.state.pending).toEqual({});
  desk.prepare("Lock", setFlag([A.key], "locked", true));
  expect(typeValue(desk, [A, B], ["slide.z"], "7", "length")).toBeNull();
  expect(Object.keys(desk.state.pending)).toEqual([`n:${B.key}`]);
  expect(desk.state.notice?.text).toMatch(/^Not taken by .*locked/);
  expect(typeValue(desk, [A], ["slide.z"], "7", "length")).toMatch(/locked/);
});

test("where keeping on release is on, typed values are kept at once, all in one act", () => {
  desk.set({ keepOnRelease: true });
  typeValue(desk, [A, B], ["slide.z"], "20", "length");
  expect(desk.state.pending).toEqual({});
  const keys = Object.values(desk.sequence.steps.s0?.moves ?? {}).flatMap((m) => keysOf(m));
  expect(keys.filter((k) => k.values["slide.z"] === 20)).toHaveLength(2);
  desk.undo();
  expect(Object.values(desk.sequence.steps.s0?.moves ?? {}).flatMap((m) => keysOf(m))).toHaveLength(1);
  expect(pendTyped(desk, B, { "turn.x": 30 })).toBe(true);
  expect(desk.state.pending).toEqual({});
});

test("lead and ease are remembered for each sequence, and by no other", () => {
  setArriving(desk, { lead: "previous" });
  expect(lastArriving(desk.state.sequenceId).lead).toBe("previous");
  expect(lastArriving("another")).toEqual(ARRIVING_DEFAULT);
  rememberArriving("another", { lead: seconds(2), ease: { kind: "soft", start: 0, stop: 0 } });
  expect(lastArriving("another").lead).toBe(seconds(2));
  kept.set("plextan-arriving-bad", JSON.stringify({ lead: -4, ease: { kind: "odd" } }));
  expect(lastArriving("bad")).toEqual(ARRIVING_DEFAULT);
  kept.set("plextan-arriving-bad", "{");
  expect(lastArriving("bad")).toEqual(ARRIVING_DEFAULT);
});
