import { beforeEach, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Move } from "../../core/document/sequence";
import { spanOf } from "../../core/program/spans";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { nothing } from "../selection/selection";
import {
  addDraft,
  beginMove,
  copyMarked,
  duplicateMarked,
  folderMarked,
  keyByHand,
  mark,
  markAll,
  pasteCopied,
  putBackMarked,
  removeMarked,
} from "./moveActions";

const STEP = "s1";
let desk: Desk;
const moves = () => Object.values(desk.body().steps[STEP]?.moves ?? {});
const spans = () => moves().map((m) => spanOf(m, desk.body()));
const label = () => desk.state.undoLabel;

/** A desk with a slide and then a turn of the arm in its second step. */
beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]));
  desk.seek(seconds(3.5));
  select(desk, [desk.index.indexOf.get("root/arm") as number]);
  for (const kind of ["slide", "turn"]) {
    beginMove(desk, kind);
    addDraft(desk);
  }
});

const both = () => moves().map((m) => ({ step: STEP, move: m.id }));

test("an act on one move is named after it, on several by how many they are", () => {
  const [slide] = both();
  mark(desk, slide as never);
  copyMarked(desk);
  expect(desk.state.notice?.text).toMatch(/^The move is copied/);
  duplicateMarked(desk);
  expect(label()).toBe('Duplicate "arm: slide"');
  desk.undo();
  markAll(desk, STEP);
  copyMarked(desk);
  expect(desk.state.notice?.text).toMatch(/^2 moves are copied/);
  removeMarked(desk);
  expect([label(), moves().length]).toEqual(["Remove 2 moves", 0]);
  // What was copied is gone: it is said, and nothing is pasted.
  pasteCopied(desk);
  expect([desk.state.notice?.tone, moves().length]).toEqual(["problem", 0]);
});

test("a duplicate begins where the last of what it doubles ends", () => {
  const [a, b] = spans();
  markAll(desk, STEP);
  duplicateMarked(desk);
  expect(moves()).toHaveLength(4);
  const begun = spans().map((s) => s.t0);
  const whole = Math.max(a?.t1 ?? 0, b?.t1 ?? 0) - Math.min(a?.t0 ?? 0, b?.t0 ?? 0);
  expect(begun.slice(2).sort((p, q) => p - q)).toEqual(
    begun
      .slice(0, 2)
      .map((t) => t + whole)
      .sort((p, q) => p - q),
  );
  // The copies are what is marked now.
  expect(desk.state.marked.map((m) => m.move).sort()).toEqual(
    moves()
      .slice(2)
      .map((m) => m.id)
      .sort(),
  );
});

test("what is put back while it still moves goes back after it has arrived", () => {
  const last = Math.max(...spans().map((s) => s.t1));
  desk.seek(seconds(3.5));
  putBackMarked(desk, both());
  const fresh = spans().slice(2);
  expect(fresh).toHaveLength(2);
  expect(Math.min(...fresh.map((s) => s.t0))).toBeGreaterThanOrEqual(last);
  expect(
    moves()
      .slice(2)
      .map((m) => m.name),
  ).toEqual(["arm: put back", "arm: put back"]);
  expect(desk.state.notice?.text).toMatch(/^Put back in "Step 1": arm: (slide|turn), arm: (slide|turn)\.$/);
  // At its end the part is where it was before the two.
  desk.seek(desk.program.steps.length);
  for (const channel of ["slide.z", "turn.z"]) {
    const before = 0;
    expect(desk.valueOf({ type: "node", key: "root/arm" }, channel)).toBeCloseTo(before, 6);
  }
});

test("marked moves go into a folder of their own, and a move turns into keys", () => {
  markAll(desk, STEP);
  folderMarked(desk);
  const folders = Object.keys(desk.body().steps[STEP]?.folders ?? {});
  expect(folders).toHaveLength(1);
  expect(moves().map((m) => m.folder)).toEqual([folders[0], folders[0]]);
  keyByHand(desk, both()[0] as never);
  expect(moves().filter((m) => m.kind === "hand")).toHaveLength(1);
});

test("the menu of a move that is not marked is about that one: the marked ones stay as they are", () => {
  const [first, second] = moves() as [Move, Move];
  mark(desk, { step: STEP, move: first.id });
  const other = [{ step: STEP, move: second.id }];
  copyMarked(desk, other);
  expect(desk.state.copied).toEqual(other);
  folderMarked(desk, other);
  expect(moves().map((m) => m.folder === null)).toEqual([true, false]);
  removeMarked(desk, other);
  expect(moves().map((m) => m.id)).toEqual([first.id]);
  expect(desk.state.marked).toEqual([{ step: STEP, move: first.id }]);
  duplicateMarked(desk, [{ step: STEP, move: first.id }]);
  expect(moves()).toHaveLength(2);
});

test("with nothing marked it is said what to do, and nothing is changed", () => {
  desk.choose(nothing(STEP));
  const before = label();
  for (const act of [removeMarked, duplicateMarked, copyMarked, pasteCopied]) act(desk);
  expect(label()).toBe(before);
  putBackMarked(desk, []);
  expect(desk.state.notice?.text).toMatch(/^Select the moves that are to be put back/);
  expect(moves()).toHaveLength(2);
});
