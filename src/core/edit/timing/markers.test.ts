import { describe, expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../../tests/support/assembly";
import { CAMERA_CHANNELS } from "../../document/keys";
import { hand, type Sequence } from "../../document/sequence";
import { removeKeys } from "../curves/remove";
import { runCommand } from "../history";
import { addInFolder, addMove, setSettings } from "../moveCommands";
import { clearShapes, renameSequence, type SequenceCommand, setCameraHome, shiftKey } from "../sequenceCommands";
import { together } from "../together";
import { addMarker, moveMarker, removeMarker, renameMarker } from "./markers";

const ARM = "root/arm";
const start = () =>
  sequenceOf([
    { [ARM]: [key("a", 0.5, 0.2, { "slide.x": 4 }), key("b", 1.5, 0.2, { "slide.x": 9, "turn.z": 5 })] },
    {},
  ]);
const MOVE = Object.keys(start().steps.s0?.moves ?? {})[0] as string;
const after = (s: Sequence, ...commands: SequenceCommand[]) => runCommand(s, together(commands)).document;
const keys = (s: Sequence) => hand(s.steps.s0?.moves[MOVE])?.keys;

describe("markers", () => {
  test("are put in, moved into another step, renamed and removed", () => {
    let s = after(start(), addMarker("m", "  Lid open ", "s0", seconds(1) + 0.4));
    expect(s.markers.m).toEqual({ id: "m", name: "Lid open", step: "s0", at: seconds(1) });
    s = after(s, moveMarker("m", "s1", -5), renameMarker("m", "x".repeat(300)));
    expect(s.markers.m).toMatchObject({ step: "s1", at: 0 });
    expect(s.markers.m?.name).toHaveLength(200);
    expect(after(s, removeMarker("m")).markers).toEqual({});
  });
  test("refuse what cannot be: an empty name, a marker or step that is gone", () => {
    expect(() => after(start(), addMarker("m", " ", "s0", 0))).toThrow("A marker needs a name.");
    expect(() => after(start(), addMarker("m", "x", "none", 0))).toThrow("This step no longer exists.");
    for (const c of [moveMarker("m", "s0", 0), renameMarker("m", "x"), removeMarker("m")])
      expect(() => after(start(), c)).toThrow("This marker no longer exists.");
  });
});

describe("what the desk asks for by name", () => {
  test("an arrival is put so far from where it was; what it did not have and does not get stays out", () => {
    const was = { "slide.x": 4 };
    const s = after(start(), shiftKey("s0", MOVE, "a", was, { "slide.x": 3, "slide.y": 0, "slide.z": -2 }));
    expect(keys(s)?.a?.values).toEqual({ "slide.x": 7, "slide.z": -2 });
    // Dragged on from where it was at first, and back again.
    expect(
      keys(after(s, shiftKey("s0", MOVE, "a", was, { "slide.x": 0, "slide.y": 0, "slide.z": 0 })))?.a?.values,
    ).toEqual({ "slide.x": 4 });
  });
  test("removed arrivals take a move along that is left without any", () => {
    expect(Object.keys(keys(after(start(), removeKeys([{ step: "s0", move: MOVE, key: "a" }]))) ?? {})).toEqual(["b"]);
    expect(
      after(start(), removeKeys(["a", "b"].map((k) => ({ step: "s0", move: MOVE, key: k })))).steps.s0?.moves,
    ).toEqual({});
    expect(after(start(), removeKeys([{ step: "s0", move: "gone", key: "a" }]))).toEqual(start());
  });
  test("shapes are cleared, a first view is set, a sequence is renamed", () => {
    const shaped = start();
    const a = keys(shaped)?.a;
    if (a) a.shapes = { "slide.x": { kind: "straight" } };
    expect(keys(after(shaped, clearShapes("s0", MOVE, "a")))?.a?.shapes).toBeUndefined();
    const view = {
      ...(shaped.cameras.main?.home as NonNullable<(typeof shaped.cameras)["main"]>["home"]),
      azimuth: 77,
    };
    expect(Object.keys(view)).toHaveLength(CAMERA_CHANNELS.length);
    expect(after(shaped, setCameraHome("main", view)).cameras.main?.home.azimuth).toBe(77);
    expect(after(shaped, renameSequence(" Two ")).name).toBe("Two");
    expect(() => after(shaped, renameSequence("  "))).toThrow("A sequence needs a name.");
  });
  test("moves come in a folder of their own, and several settings change together", () => {
    const made = {
      id: "t",
      kind: "turn",
      name: "Turn",
      on: true,
      folder: "f",
      colour: null,
      note: "",
      start: 0,
      length: seconds(1),
      ease: { kind: "soft", start: 0, stop: 0 },
      targets: [],
    } as const;
    const move = { ...made, settings: { axis: "z", degrees: 90, joints: [] } } as never;
    const s = after(start(), addInFolder("s1", "f", "Replace x", [move]));
    expect(s.steps.s1?.folders.f).toEqual({ id: "f", name: "Replace x", on: true, colour: null });
    expect(s.steps.s1?.moves.t).toMatchObject({ folder: "f" });
    const t = after(s, setSettings({ step: "s1", move: "t" }, { degrees: 30, axis: "x" })).steps.s1?.moves.t;
    expect(t?.kind === "hand" ? null : t?.settings).toMatchObject({ degrees: 30, axis: "x" });
    expect(() => after(start(), addMove("none", move))).toThrow("This step no longer exists.");
  });
});
