import { beforeEach, describe, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { copyKey } from "../../core/assembly/prepared";
import { addCopy, setFlag } from "../../core/edit/preparationCommands";
import type { Desk } from "../port";
import { select, selectedKeys } from "../selection/selecting";
import { makeHome } from "./homing";
import { holdHere } from "./keeping";
import { addDraft, beginMove, changeSetting, dropDraft, mark, putBackMarked } from "./moveActions";
import { readPhrase } from "./phrase";
import { applyPhrase } from "./phrasing";
import { pend } from "./posing";
import { selectEverything } from "./selectingAll";

const ARM = { type: "node", key: "root/arm" } as const;
let desk: Desk;
const at = () => desk.valueOf(ARM, "slide.z");
const moves = () => Object.values(desk.body().steps.s1?.moves ?? {});

beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  const sequence = sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]);
  desk = smallDesk(sequence);
  desk.seek(seconds(3.5 + 0.25));
  select(desk, [desk.index.indexOf.get("root/arm") as number]);
});

test("everything is selected of the kind that is: in time, else all parts that may be seen", () => {
  select(desk, []);
  desk.prepare("Hide", setFlag(["root/arm"], "hidden", true));
  selectEverything(desk);
  expect(selectedKeys(desk)).toEqual(["root/base"]);
  select(desk, []);
  mark(desk, { step: "s0", move: "m-root_arm" });
  selectEverything(desk);
  expect(desk.state.pins.map((p) => p.key)).toEqual(["a"]);
});

describe("a move that is being made", () => {
  test("is shown and not stored; dropped it leaves nothing, not even the playhead moved", () => {
    const before = desk.state.ticks;
    expect(beginMove(desk, "slide")).toBe(true);
    expect([at(), moves().length, desk.state.undoLabel]).toEqual([50, 0, null]);
    expect(desk.state.ticks).toBeGreaterThan(before);
    dropDraft(desk);
    expect([at(), moves().length, desk.state.ticks]).toEqual([0, 0, before]);
  });
  test("added it is one act, with the playhead at its end, so that the next goes on from there", () => {
    beginMove(desk, "slide");
    expect(changeSetting(desk, null, "distance", 1e9)).toMatch(/value/);
    expect(changeSetting(desk, null, "distance", 12)).toBeNull();
    addDraft(desk);
    expect([at(), moves().map((m) => m.name), desk.state.undoLabel]).toEqual([12, ["arm: slide"], 'Add "arm: slide"']);
    beginMove(desk, "turn");
    expect(desk.state.draft?.move.start).toBe(
      (moves()[0] as { start: number; length: number }).start + (moves()[0] as { length: number }).length,
    );
    dropDraft(desk);
    desk.undo();
    expect(moves()).toEqual([]);
  });
  test("a phrase sets value and time; one that cannot be read is said and leaves the move to be changed", () => {
    beginMove(desk, "slide");
    expect(applyPhrase(desk, readPhrase("slide 3 cm in 2 s"))).toBe(true);
    expect([desk.state.draft?.move.settings, desk.state.draft?.move.length]).toMatchObject([
      { distance: 30 },
      seconds(2),
    ]);
    expect(applyPhrase(desk, readPhrase("slide 3 apples"))).toBe(false);
    expect(desk.state.notice?.tone).toBe("problem");
    expect(desk.state.draft).not.toBeNull();
  });
  test("several are put back over steps, the later ones first", () => {
    beginMove(desk, "slide");
    addDraft(desk);
    const first = moves()[0] as { id: string };
    beginMove(desk, "turn");
    addDraft(desk);
    mark(desk, { step: "s1", move: first.id }, { more: true });
    putBackMarked(desk);
    const back = moves().filter((m) => m.kind === "back");
    expect(back).toHaveLength(2);
    desk.seek(desk.program.steps.length);
    expect(at()).toBe(0);
  });
});

describe("copies and homes", () => {
  test("a copy makes the assembly anew and undo takes it back; what is selected stays selected", () => {
    const { assemblyVersion } = desk.state;
    desk.prepare("Copy", addCopy("c", "root/arm", "Second arm"));
    expect(desk.index.indexOf.has(copyKey("root/arm", "c"))).toBe(true);
    expect(desk.state.assemblyVersion).toBe(assemblyVersion + 1);
    expect(selectedKeys(desk)).toEqual(["root/arm"]);
    desk.undo();
    expect(desk.index.indexOf.has(copyKey("root/arm", "c"))).toBe(false);
  });
  test("a pending pose becomes the home; without one, or turned by the sequence, it says what to do", () => {
    expect(makeHome(desk, "root/arm")).toBe(false);
    expect(desk.state.notice?.text).toMatch(/nothing is pending/);
    pend(desk, ARM, { "slide.z": 7 });
    expect(makeHome(desk, "root/arm")).toBe(true);
    expect(desk.state.pending).toEqual({});
    expect(desk.state.preparation.body.nodes["root/arm"]?.home?.slice(12, 15)).toEqual([0, 0, 7]);
    beginMove(desk, "turn");
    addDraft(desk);
    pend(desk, ARM, { "slide.z": 3 });
    expect(makeHome(desk, "root/arm")).toBe(false);
    expect(desk.state.notice?.text).toMatch(/turned by its sequence/);
  });
  test("hold here: what was under way comes to rest where it is shown", () => {
    desk.seek(seconds(0.5 + 0.75));
    const x = desk.valueOf(ARM, "slide.x");
    expect(x).toBeGreaterThan(0);
    expect(holdHere(desk, [ARM])).toBe(true);
    expect(desk.valueOf(ARM, "slide.x")).toBeCloseTo(x, 9);
    expect(holdHere(desk, [{ type: "node", key: "root/base" }])).toBe(false);
    expect(desk.state.notice?.text).toMatch(/never moves/);
  });
  test("holding chosen channels keeps what is there on purpose, and nothing else", () => {
    desk.seek(seconds(0.5 + 0.75));
    const there = desk.valueOf(ARM, "slide.x");
    expect(holdHere(desk, [ARM], ["slide.x", "slide.z"])).toBe(true);
    const keys = Object.values(desk.body().steps.s0?.moves ?? {}).flatMap((m) =>
      m.kind === "hand" ? Object.values(m.keys) : [],
    );
    expect(keys.map((k) => [k.at / seconds(1), k.values])).toEqual([
      [1, { "slide.x": 10 }],
      [0.75, { "slide.x": there, "slide.z": 0 }],
    ]);
  });
});
