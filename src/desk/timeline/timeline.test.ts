import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { updateKey, updateStep } from "../../core/edit/sequenceCommands";
import { FAULT } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import {
  copyTimed,
  duplicateTimed,
  nudge,
  pasteTimed,
  removeTimed,
  selectAll,
  selectInverse,
  selectTimed,
} from "../acts/timingActions";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { hitAt, inBox } from "./hit";
import { Lanes } from "./lanes";
import { HEAD, type Scene } from "./paint";
import { rowsOf } from "./rows";
import { snapped, snapTimes } from "./snapTimes";
import type { View } from "./view";

const A = "root/arm/a";
const B = "root/arm/b";
let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(
    sequenceOf([
      {
        [A]: [key("a1", 0.5, 0.3, { "slide.x": 5 }), key("a2", 1.5, 0.3, { "slide.x": 9 })],
        [B]: [key("b1", 1, 0.2, { "slide.y": 3 })],
        "root/base": [key("c1", 1.2, 0.2, { "slide.z": 2 })],
      },
      {},
    ]),
  );
});
afterEach(() => {
  vi.unstubAllGlobals();
});
const view: View = { perTick: 100 / seconds(1), left: 0, top: 0, width: 700, height: 300 };
function scene(): Scene {
  const lanes = new Lanes().update(desk.program, desk.sequence);
  return {
    ...{
      rows: rowsOf(desk.index, lanes, new Set()),
      steps: desk.program.steps,
      titles: [],
      focusStep: null,
      rate: desk.sequence.rate,
      range: null,
      markers: [],
      pending: [],
    },
    ...{
      outside: [],
      findings: [],
      said: [],
      outsideLane: "",
      live: [],
      pins: new Set<string>(),
      moves: new Set<string>(),
      hover: null,
      shift: 0,
      box: null,
      guide: null,
      goal: null,
      span: null,
      heard: {},
      sound: null,
    },
  };
}
const ref = (k: string, move: string) => ({ step: "s0", move, key: k });
const atOf = (k: string) =>
  Object.values(desk.body().steps.s0?.moves ?? {})
    .flatMap((m) => (m.kind === "hand" ? Object.values(m.keys) : []))
    .find((x) => x.id === k)?.at;

describe("lanes and rows", () => {
  test("parts of one sub-assembly stand together; closed, only their sum is there", () => {
    const lanes = new Lanes().update(desk.program, desk.sequence);
    expect(rowsOf(desk.index, lanes, new Set()).map((r) => [r.kind, r.id])).toEqual([
      ["group", "root/arm"],
      ["lane", `n:${A}`],
      ["lane", `n:${B}`],
      ["lane", "n:root/base"],
    ]);
    expect(rowsOf(desk.index, lanes, new Set(["root/arm"])).map((r) => r.id)).toEqual(["root/arm", "n:root/base"]);
  });
  test("an edit makes only the lanes anew that it touches, a still none", () => {
    const lanes = new Lanes();
    const before = new Map(lanes.update(desk.program, desk.sequence).map((l) => [l.id, l]));
    desk.edit("move", updateKey("s0", "m-root_arm_a", "a1", { at: seconds(0.7) }));
    const after = new Map(lanes.update(desk.program, desk.sequence).map((l) => [l.id, l]));
    expect([after.get(`n:${A}`) === before.get(`n:${A}`), after.get(`n:${B}`) === before.get(`n:${B}`)]).toEqual([
      false,
      true,
    ]);
    desk.edit("still", updateStep("s0", { stillBefore: seconds(2) }));
    for (const lane of lanes.update(desk.program, desk.sequence)) expect(lane).toBe(after.get(lane.id));
  });
});

describe("what lies under the pointer", () => {
  test("pins, beginnings of leads, stills, the ruler, and nothing", () => {
    const s = scene();
    const y = HEAD + 26 + 8;
    expect(hitAt(s, view, 100, y)).toMatchObject({ what: "pin", pin: { key: "a1" } });
    expect(hitAt(s, view, 70, y + 12)).toMatchObject({ what: "lead", pin: { key: "a1" } });
    expect(hitAt(s, view, 150, y)).toMatchObject({ what: "lane" });
    expect(hitAt(s, view, 299, 10)).toMatchObject({ what: "still", step: "s0", which: "after" });
    expect(hitAt(s, view, 50, 10)).toMatchObject({ what: "still", step: "s0", which: "before" });
    expect(hitAt(s, view, 120, 10)).toMatchObject({ what: "step", step: "s0" });
    expect(hitAt(s, view, 120, 40)).toMatchObject({ what: "ruler" });
  });
  test("the end of a still is taken hold of from less than five px before it to one px behind", () => {
    const s = scene();
    const ends = [290, 294, 295, 296, 299, 300, 301, 302].map((x) => hitAt(s, view, x, 10).what);
    const end = (s.steps.end[0] ?? 0) * view.perTick - view.left;
    expect(end).toBeCloseTo(300, 6);
    expect(ends).toEqual(["step", "step", "step", "still", "still", "still", "still", "step"]);
  });
  test("the ends of the bracket over several selected things", () => {
    const s = { ...scene(), span: { t0: seconds(0.7), t1: seconds(2) } };
    expect(hitAt(s, view, 201, HEAD - 4)).toEqual({ what: "scale", edge: "end" });
    expect(hitAt(s, view, 69, HEAD - 4)).toEqual({ what: "scale", edge: "start" });
  });
  test("a box takes what lies in it", () => {
    expect(inBox(scene(), view, { x0: 90, y0: HEAD + 30, x1: 160, y1: HEAD + 70 }).pins.map((p) => p.key)).toEqual([
      "a1",
      "b1",
    ]);
  });
  test("times snap to what is near, else to frames, and not at all when that is off", () => {
    const s = scene();
    const list = snapTimes(s, seconds(2.2), (_, __, k) => k === "a1");
    expect(snapped(list, seconds(1.47), s, view, true)).toMatchObject({
      at: seconds(1.5),
      guide: { label: "1.500 s · arrival" },
    });
    expect(snapped(list, seconds(2.21), s, view, true).at).toBe(seconds(2.2));
    expect(snapped(list, seconds(1.262), s, view, true).at).toBe(Math.round(seconds(38 / 30)));
    expect(snapped(list, seconds(1.47), s, view, false)).toEqual({ at: seconds(1.47), guide: null });
  });
});

describe("acts on what is selected in time", () => {
  test("one shows its details, several what can be done with all; everything and its opposite", () => {
    selectTimed(desk, [ref("a1", "m-root_arm_a")], []);
    expect(desk.state.focus.kind).toBe("key");
    selectInverse(desk);
    expect([desk.state.focus.kind, desk.state.pins.map((p) => p.key)]).toEqual(["timing", ["a2", "b1", "c1"]]);
    selectAll(desk);
    expect(desk.state.pins).toHaveLength(4);
  });
  test("more is added once, and taken away by the same act again", () => {
    selectTimed(desk, [ref("a1", "m-root_arm_a")], []);
    selectTimed(desk, [ref("a1", "m-root_arm_a"), ref("b1", "m-root_arm_b")], [], "add");
    expect(desk.state.pins.map((p) => p.key)).toEqual(["a1", "b1"]);
    selectTimed(desk, [ref("a1", "m-root_arm_a")], [], "toggle");
    expect(desk.state.pins.map((p) => p.key)).toEqual(["b1"]);
  });
  test("nudged as far as the step lets it, alone or with what is later", () => {
    selectTimed(desk, [ref("a1", "m-root_arm_a")], []);
    nudge(desk, 3);
    expect(atOf("a1")).toBe(seconds(0.6));
    nudge(desk, -100);
    expect(atOf("a1")).toBe(0);
    desk.undo();
    desk.set({ timing: { snap: true, along: true } });
    nudge(desk, 3);
    expect([atOf("a1"), atOf("a2"), atOf("b1"), atOf("c1")].map((t) => (t ?? 0) / seconds(1))).toEqual([
      0.6, 1.6, 1.1, 1.3,
    ]);
  });
  test("copied to the playhead, onto a part, doubled and removed; each is one act", () => {
    selectTimed(desk, [ref("a1", "m-root_arm_a"), ref("b1", "m-root_arm_b")], []);
    copyTimed(desk);
    desk.seek(seconds(3.7));
    pasteTimed(desk);
    expect(Object.keys(desk.body().steps.s1?.moves ?? {})).toHaveLength(2);
    desk.undo();
    expect(Object.keys(desk.body().steps.s1?.moves ?? {})).toHaveLength(0);
    select(desk, [desk.index.indexOf.get("root/base") as number]);
    pasteTimed(desk);
    const made = Object.values(desk.body().steps.s1?.moves ?? {});
    expect(made.map((m) => [m.name, m.kind === "hand" ? Object.keys(m.keys).length : 0])).toEqual([["base", 2]]);
    selectTimed(desk, [ref("a1", "m-root_arm_a"), ref("a2", "m-root_arm_a")], []);
    duplicateTimed(desk);
    expect(desk.state.pins).toHaveLength(2);
    removeTimed(desk);
    expect(atOf("a2")).toBe(seconds(1.5));
    selectTimed(desk, [ref("a1", "m-root_arm_a"), ref("a2", "m-root_arm_a")], []);
    removeTimed(desk);
    expect(desk.body().steps.s0?.moves["m-root_arm_a"]).toBeUndefined();
  });
  test("a preview shows without storing, and leaves no trace when it ends", () => {
    const before = desk.body();
    const value = () => desk.valueOf({ type: "node", key: A }, "slide.x");
    desk.seek(seconds(1.1));
    const was = value();
    expect(desk.preview(updateKey("s0", "m-root_arm_a", "a1", { at: seconds(1.2) }))).toBeNull();
    expect(value()).not.toBe(was);
    expect(
      desk.preview(() => {
        throw new Refusal("no-such-move", { kind: "no" });
      }),
    ).toBe('There is no kind of move called "no".');
    // What was not meant is never shown as if it were.
    vi.spyOn(console, "error").mockImplementationOnce(() => {});
    expect(
      desk.preview(() => {
        throw new RangeError("Invalid array length");
      }),
    ).toBe(FAULT);
    desk.preview(null);
    expect([desk.body(), value()]).toEqual([before, was]);
  });
});
