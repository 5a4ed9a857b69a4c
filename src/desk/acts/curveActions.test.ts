import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { hand } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { earlierStates, loadPast, programOf } from "../curves/earlier";
import { type Shown, shownChannels } from "../curves/model";
import type { Desk } from "../port";
import { choose, keepNow, otherOf, otherProgram, remove, watchAgainst } from "./compareActions";
import {
  beyondOf,
  closeCycles,
  goBackTo,
  handMoves,
  insertPoint,
  movePoints,
  nudgePoints,
  openCycle,
  pointOf,
  removePoints,
  removeUnchanging,
  roundPoints,
  scalePoints,
  selectPoints,
  setCurves,
  shapePoints,
  thinChannel,
} from "./curveActions";

const A = "root/arm/a";
const TARGET = { type: "node", key: A } as const;
const MOVE = "m-root_arm_a";
const TIMES = [0.1, 0.3, 0.7, 1.2];
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(
    sequenceOf([
      {
        [A]: [
          key("a", 0.5, 0.5, { "slide.x": 10, "slide.y": 4 }, STEADY),
          key("b", 1, "previous", { "slide.x": 20.13, "slide.y": 4 }, STEADY),
          key("c", 1.5, "previous", { "slide.x": 30, "slide.y": 4 }, STEADY),
        ],
      },
    ]),
  );
});
afterEach(() => {
  vi.unstubAllGlobals();
});

const shown = (channel = "slide.x"): Shown => shownChannels(desk, [TARGET]).find((s) => s.channel === channel) as Shown;
const point = (k: string, channel = "slide.x") => pointOf(shown(channel), { step: "s0", move: MOVE, key: k });
const keys = () => Object.values(hand(desk.body().steps.s0?.moves[MOVE])?.keys ?? {}).sort((a, b) => a.at - b.at);
const values = (channel = "slide.x") => keys().flatMap((k) => (channel in k.values ? [k.values[channel]] : []));
const at = (s: number) => desk.program && shown().reader.at(seconds(s + 0.5));

describe("points of curves", () => {
  test("are selected, added and taken away; with none the step's details come back", () => {
    selectPoints(desk, [point("a")]);
    selectPoints(desk, [point("b")], "add");
    expect([desk.state.points.map((p) => p.key), desk.state.focus.kind]).toEqual([["a", "b"], "curve"]);
    selectPoints(desk, [point("a"), point("c")], "toggle");
    expect(desk.state.points.map((p) => p.key)).toEqual(["b", "c"]);
    selectPoints(desk, []);
    expect(desk.state.focus).toEqual({ kind: "step", id: "s0" });
  });
  test("moved they leave their companions; nudges in a row are one act of undo", () => {
    selectPoints(desk, [point("b")]);
    movePoints(desk, seconds(0.1), 5);
    expect(shown().curve.keys.map((k) => k.value)).toEqual([10, 25.13, 30]);
    expect(shown("slide.y").curve.keys.map((k) => (k.at / seconds(1)).toFixed(2))).toEqual(["1.00", "1.50", "2.00"]);
    desk.undo();
    selectPoints(desk, [point("b")]);
    for (let i = 0; i < 3; i++) nudgePoints(desk, 0, 1);
    expect(values()[1]).toBeCloseTo(23.13, 9);
    const states = desk.state.earlier.length;
    desk.undo();
    expect(values()[1]).toBe(20.13);
    // After an undo the same nudge is another act, with a state of its own to look back at.
    nudgePoints(desk, 0, 1);
    expect(desk.state.earlier).toHaveLength(states + 1);
  });
  test("inserted the curve stays; removed it says how far off it is", () => {
    const before = TIMES.map(at);
    insertPoint(desk, shown(), seconds(1.25));
    expect(shown().curve.keys).toHaveLength(4);
    for (const [i, s] of TIMES.entries()) expect(at(s)).toBeCloseTo(nth(before, i), 9);
    expect(desk.state.points).toHaveLength(1);
    setCurves(desk, { fit: true });
    removePoints(desk);
    expect(desk.state.notice?.text).toMatch(/^Removed; the curve is at most 0(\.0+)? mm off\.$/);
    for (const [i, s] of TIMES.entries()) expect(at(s)).toBeCloseTo(nth(before, i), 6);
  });
  test("removed, a point is as if it had never been there: the motion goes from neighbour to neighbour", () => {
    selectPoints(desk, [point("b")]);
    removePoints(desk);
    expect([values(), shown("slide.y").curve.keys.length]).toEqual([[10, 30], 3]);
    const rows = shown().curve.keys.map((k) => [k.segment.t0, k.segment.from]);
    expect(rows[1]).toEqual([shown().curve.keys[0]?.at, 10]);
  });
  test("where no point can be put, that is said and nothing changes", () => {
    const before = desk.body();
    insertPoint(desk, shown(), seconds(0.2));
    expect([desk.body(), desk.state.notice?.tone]).toEqual([before, "problem"]);
  });
  test("rounded, scaled and flipped about a value; shaped as one act", () => {
    selectPoints(desk, [point("a"), point("b"), point("c")]);
    roundPoints(desk, 1);
    expect([values(), desk.state.notice?.text]).toEqual([[10, 20, 30], "1 value rounded."]);
    roundPoints(desk, 1);
    expect(desk.state.notice?.text).toBe("They are round already.");
    scalePoints(desk, { at: 0, value: 20 }, { time: 1, value: -1 });
    expect(values()).toEqual([30, 20, 10]);
    expect(desk.state.undoLabel).toMatch(/^Flip 3 points/);
    shapePoints(desk, "hold");
    expect(keys().map((k) => k.shapes?.["slide.x"]?.kind)).toEqual(["hold", "hold", "hold"]);
    expect([at(0.9), at(1)]).toEqual([30, 20]);
  });
  test("thinned as far as is allowed; unchanging channels go in one act", () => {
    thinChannel(desk, shown(), 0.2);
    // All three lie nearly on one line from home.
    expect([values(), desk.state.notice?.text]).toEqual([[30], "2 points taken out; the curve is at most 0.0125 off."]);
    thinChannel(desk, shown(), 0.2);
    expect(desk.state.notice?.text).toBe("Every point is needed to keep the curve that close.");
    // It rises to 4 at its first arrival, so it is not one that never changes.
    removeUnchanging(desk);
    expect(desk.state.notice?.text).toBe("Every channel that is keyed changes somewhere.");
    desk.edit("flat", (d) => {
      for (const k of Object.values(hand(d.steps.s0?.moves[MOVE])?.keys ?? {})) k.values["slide.y"] = 0;
    });
    removeUnchanging(desk);
    expect([values("slide.y"), values(), desk.state.notice?.text]).toEqual([
      [],
      [30],
      "1 channel that never changes was removed.",
    ]);
  });
  test("run on at their speed after the last arrival; an ease that comes to rest is told", () => {
    const moves = handMoves(desk.body(), TARGET, "slide.x");
    expect(moves).toEqual([{ step: "s0", move: MOVE, channels: ["slide.x"] }]);
    beyondOf(desk, moves, "after", "straight");
    expect(at(2.5)).toBeCloseTo(30 + 9.87 * 2, 6);
    desk.edit("soft", (d) => {
      for (const k of Object.values(hand(d.steps.s0?.moves[MOVE])?.keys ?? {}))
        k.ease = { kind: "soft", start: 0.3, stop: 0.3 };
    });
    beyondOf(desk, moves, "after", "hold");
    beyondOf(desk, moves, "after", "straight");
    expect(desk.state.notice?.text).toContain("no speed to go on at");
  });
  test("an earlier state is gone back to, one channel alone", () => {
    selectPoints(desk, [point("b")]);
    movePoints(desk, 0, 50);
    desk.edit("other", (d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.c;
      if (k) k.values["slide.y"] = 9;
    });
    const earlier = desk.state.earlier.at(-1);
    expect(earlier?.label).toMatch(/^before Move/);
    goBackTo(desk, shown(), earlier?.body ?? desk.body(), "it was");
    expect([values(), values("slide.y").at(-1)]).toEqual([[10, 20.13, 30], 9]);
  });
});

describe("states from before the page was opened", () => {
  const answer = (get: (url: string) => unknown) =>
    vi.stubGlobal(
      "fetch",
      vi.fn(async (url: string) => {
        const body = get(url);
        return body === null ? new Response("{}", { status: 500 }) : Response.json(body);
      }),
    );
  /** Two edits of an earlier session: the arrival b was raised, then lowered again. */
  const edits = () => {
    const raise = (v: number) => [
      { op: "replace", path: ["steps", "s0", "moves", MOVE, "keys", "b", "values", "slide.x"], value: v },
    ];
    return [
      { id: "e1", label: "Raise", patches: raise(99) },
      { id: "e2", label: "Lower", patches: raise(20.13) },
    ];
  };
  const asked = () =>
    vi
      .mocked(fetch)
      .mock.calls.map(([url]) => String(url))
      .filter((url) => url.includes("/edits?until="));

  test("are asked for once, newest first, and gone back to", async () => {
    desk = smallDesk(desk.body(), undefined, 2);
    const body = desk.body();
    answer((url) => (url.includes("until=2") ? { body, edits: edits() } : {}));
    await Promise.all([loadPast(desk), loadPast(desk)]);
    await loadPast(desk);
    expect(asked()).toEqual(["/api/documents/seq/edits?until=2"]);
    expect(earlierStates(desk).map((e) => e.label)).toEqual(["before Lower", "before Raise"]);
    const [first] = earlierStates(desk);
    goBackTo(desk, shown(), first?.body ?? body, "it was");
    expect(values()).toEqual([10, 99, 30]);
    // What is done on this page comes first.
    expect(earlierStates(desk).map((e) => e.label)[1]).toBe("before Lower");
  });
  test("that cannot be read are said to be so, and asked for again the next time", async () => {
    desk = smallDesk(desk.body(), undefined, 2);
    answer(() => null);
    await loadPast(desk);
    expect(desk.state.notice).toMatchObject({
      tone: "problem",
      text: expect.stringMatching(/^Earlier states could not be read: /),
    });
    expect(earlierStates(desk)).toEqual([]);
    answer(() => ({ body: desk.body(), edits: edits() }));
    await loadPast(desk);
    expect(earlierStates(desk)).toHaveLength(2);
  });
  test("of a sequence that has none are not asked for", async () => {
    answer(() => null);
    await loadPast(desk);
    expect(asked()).toEqual([]);
  });
});

describe("timings side by side", () => {
  const later = () =>
    desk.edit("later", (d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.c;
      if (k) k.at = seconds(1.8);
    });
  test("one is kept, compared with, chosen; the other is kept in its place, as one act", () => {
    expect(otherOf(desk)).toBeNull();
    expect(otherProgram(desk)).toBe(desk.program);
    keepNow(desk, "Slow", null);
    later();
    const [id] = Object.keys(desk.body().timings) as [string];
    desk.set({ compare: { other: { version: id }, how: "ghost" } });
    expect(otherOf(desk)?.label).toBe("Slow");
    expect(otherOf(desk)?.body).toBe(otherOf(desk)?.body);
    // While something is dragged over a version behind it, the version is not compiled again and again.
    const behind = () =>
      programOf(desk, earlierStates(desk).find((e) => e.id === `version ${id}`)?.body ?? desk.body());
    const before = behind();
    desk.preview((d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.c;
      if (k) k.at = seconds(1.9);
    });
    expect(behind()).toBe(before);
    desk.preview(null);
    const c = otherProgram(desk).placed.get(`n:${A}`) ?? [...otherProgram(desk).placed.values()][0];
    expect(c?.at(-1)?.t1).toBe(seconds(1.5));
    choose(desk, id, "Quick");
    expect([keys().at(-1)?.at, Object.values(desk.body().timings).map((v) => v.name), desk.state.compare]).toEqual([
      seconds(1.5),
      ["Quick"],
      null,
    ]);
    desk.undo();
    expect([keys().at(-1)?.at, Object.values(desk.body().timings).map((v) => v.name)]).toEqual([
      seconds(1.8),
      ["Slow"],
    ]);
    remove(desk, id);
    expect(desk.body().timings).toEqual({});
  });
  test("two eases of one move are looked at without storing anything; hand keys have their own curves", () => {
    desk.edit("turn", (d) => {
      const step = d.steps.s0;
      if (step)
        step.moves.turn = {
          ...{
            id: "turn",
            name: "turn",
            on: true,
            folder: null,
            colour: null,
            note: "",
            kind: "turn",
            start: 0,
            length: seconds(1),
            ease: STEADY,
            targets: [TARGET],
          },
          settings: { axis: "turn.z", joints: [], way: "by", degrees: 90 },
        } as never;
    });
    const before = desk.body();
    watchAgainst(desk, { step: "s0", move: "turn" }, { kind: "soft", start: 0.5, stop: 0.5 }, "soft");
    const [mine, other] = [desk.program, otherProgram(desk)];
    expect([desk.body(), otherOf(desk)?.label]).toEqual([before, "soft"]);
    const easeOf = (p: typeof mine) => [...p.placed.values()].flat().find((r) => r.move === "turn")?.shape;
    expect([easeOf(mine), easeOf(other)]).toEqual([STEADY, { kind: "soft", start: 0.5, stop: 0.5 }]);
    desk.set({ compare: null });
    watchAgainst(desk, { step: "s0", move: MOVE }, STEADY, "none");
    expect(desk.state.compare).toBeNull();
  });
});

describe("how a channel goes on", () => {
  const own = { step: "s0", move: MOVE, channels: ["slide.x"] };
  test("done again, it is all of it from the beginning; an open cycle is said, and closed in one act", () => {
    beyondOf(desk, [own], "after", "repeat");
    // The way from home to the first arrival is part of it: half a second, of one and a half.
    expect([at(1.75), at(2.1)].map((v) => Number(v?.toFixed(6)))).toEqual([5, expect.closeTo(12.026, 3)]);
    expect(openCycle(desk, TARGET, own)).toBe("It jumps from 30 mm back to 0 mm each time.");
    const before = TIMES.map(at);
    closeCycles(desk, [own]);
    expect(openCycle(desk, TARGET, own)).toBeNull();
    // What was there is as it was; the way back is behind it, and then it begins again.
    for (const [i, s] of TIMES.entries()) expect(at(s)).toBeCloseTo(nth(before, i), 6);
    expect(at(2.25)).toBeCloseTo(5, 3);
    desk.undo();
    expect(openCycle(desk, TARGET, own)).toMatch(/jumps/);
  });
  test("what meets, or goes on otherwise, is not called open; whole turns meet", () => {
    expect(openCycle(desk, TARGET, own)).toBeNull();
    beyondOf(desk, [own], "after", "add");
    expect(openCycle(desk, TARGET, own)).toBeNull();
    selectPoints(desk, [point("c")]);
    movePoints(desk, 0, -30);
    beyondOf(desk, [own], "after", "repeat");
    expect(openCycle(desk, TARGET, own)).toBeNull();
    closeCycles(desk, [own]);
    expect(desk.state.notice?.text).toBe("The cycle is closed already: it ends as it begins.");
  });
});

test("a point asked for where one is already is that one", () => {
  const states = desk.state.undoLabel;
  insertPoint(desk, shown(), seconds(1.5));
  expect([desk.state.points.map((p) => p.key), desk.state.undoLabel]).toEqual([["b"], states]);
});
