import { describe, expect, test } from "vitest";
import { z } from "zod";
import { joint, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { parseDocument } from "../document/parse";
import type { Preparation } from "../document/preparation";
import type { MadeMove, Target } from "../document/sequence";
import { runCommand } from "../edit/history";
import { addMove, makeMove } from "../edit/moveCommands";
import { allReports, compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { spanOf } from "../program/spans";
import { type MoveKind, SETTINGS } from "./kind";
import { MOVE_KINDS, moveKindOf } from "./kinds";

const ARM = "root/arm";
const arm: Target = { type: "node", key: ARM };
const index = smallIndex();
const prepared: Preparation = {
  ...preparation(),
  joints: {
    h: joint("h", { type: "node", key: ARM }, { name: "Swing" }),
    s: joint("s", { type: "node", key: ARM }, { name: "Thread", kind: "screw", pitch: 2 }),
  },
  poses: { open: { id: "open", name: "open", target: { type: "node", key: ARM }, values: { "joint.h": 110 } } },
  looks: {
    bright: { id: "bright", name: "Bright", nodes: {}, surroundings: preparation().surroundings, thumbnail: null },
  },
};
const context = {
  index,
  preparation: prepared,
  targets: [arm],
  camera: "main",
  nodesOf: (t: Target) => (t.type === "node" ? [index.indexOf.get(t.key) ?? -1] : []),
  view: { lens: 50 },
};
/** Kinds that are made from a selection alone; the reversed one is made from another move. */
const MADE = MOVE_KINDS.filter((k) => k.kind !== "back");
const make = (kind: string) => ({ ...makeMove(kind, context, seconds(0.25), kind), id: "m" }) as MadeMove;

describe.each(MADE.map((k) => [k.kind, k] as [string, MoveKind]))("%s", (name, kind) => {
  test("is made with settings that its own schema takes, and a document with it is read again as it was", () => {
    const move = make(name);
    expect(z.object(kind.shape).safeParse(move.settings).success).toBe(true);
    const film = runCommand(sequenceOf([{}]), addMove("s0", move)).document;
    expect(parseDocument("sequence", JSON.parse(JSON.stringify(film)))).toEqual(film);
  });
  test("acts within its span, holds after it, and gives finite numbers all along", () => {
    const film = runCommand(sequenceOf([{}]), addMove("s0", make(name))).document;
    const program = compile(index, prepared, film);
    expect(allReports(program).filter((r) => r.code === "target-gone" || r.code === "joint-gone")).toEqual([]);
    const span = spanOf(film.steps.s0?.moves.m as MadeMove, film);
    expect(span.t0).toBe(seconds(0.25));
    expect(span.t1).toBeGreaterThanOrEqual(span.t0);
    const action = program.steps.action[0] ?? 0;
    for (const rows of program.placed.values())
      for (const r of rows) {
        expect(r.t0).toBeGreaterThanOrEqual(span.t0);
        expect(r.t1 === r.t0 || r.t1 <= span.t1 + 1 || r.channel === "shown").toBe(true);
      }
    const at = createPose(program);
    for (let t = 0; t <= program.steps.length; t += seconds(0.2)) {
      pose(program, t, at);
      expect([...at.world, ...at.camera, ...at.opacity, ...at.tint].every(Number.isFinite)).toBe(true);
    }
    const [one, two] = [createPose(program), createPose(program)];
    pose(program, action + span.t1, one);
    pose(program, program.steps.length + seconds(5), two);
    expect(Array.from(two.world)).toEqual(Array.from(one.world));
    expect(Array.from(two.camera)).toEqual(Array.from(one.camera));
  });
  test("says what it does in a line, and has a title, words to find it by and fields that exist", () => {
    const move = make(name);
    const said = kind.describe(move as never, prepared);
    expect(said.length).toBeGreaterThan(2);
    expect(said).not.toMatch(/undefined|NaN|\[object/);
    expect([kind.title.length > 0, kind.about.endsWith("."), kind.words.length > 0]).toEqual([true, true, true]);
    for (const field of kind.fields) {
      let value: unknown = move.settings;
      for (const part of field.name.split(".")) {
        expect(Object.hasOwn(value as object, part), field.name).toBe(true);
        value = (value as Record<string, unknown>)[part];
      }
      expect(typeof field.when?.(move.settings as never)).toBe(field.when ? "boolean" : "undefined");
    }
  });
});

test("kinds are found by name, each once; an unknown one is refused", () => {
  expect(new Set(MOVE_KINDS.map((k) => k.kind)).size).toBe(MOVE_KINDS.length);
  expect(moveKindOf("take-off").title).toBe("Take off");
  expect(() => moveKindOf("fly")).toThrow('There is no kind of move called "fly".');
});

test("settings have bounds, in words", () => {
  const why = (schema: z.ZodType, v: unknown) => schema.safeParse(v).error?.issues[0]?.message;
  expect(why(SETTINGS.mm, 1e6)).toBeUndefined();
  expect([why(SETTINGS.mm, 1e6 + 1), why(SETTINGS.mm, -1e7)]).toEqual(["is beyond 1,000 m", "is beyond 1,000 m"]);
  expect(why(SETTINGS.degrees, 2e6)).toBe("is beyond 1,000,000°");
  expect(why(SETTINGS.turns, 1e5 + 1)).toBe("is beyond 100,000 turns");
  expect([why(SETTINGS.factor, 0), why(SETTINGS.factor, 1e5), why(SETTINGS.factor, 0.001)]).toEqual([
    "must be more than 0",
    "is beyond 10,000 times",
    undefined,
  ]);
  expect(why(SETTINGS.mm, Number.NaN)).toBeDefined();
  expect(SETTINGS.share.safeParse(1.01).success).toBe(false);
});
