import { describe, expect, test } from "vitest";
import { preparation, seconds, smallIndex } from "../../../tests/support/assembly";
import type { Target } from "../../core/document/sequence";
import { makeMove } from "../../core/edit/moveCommands";
import { phraseChange, phraseRepeat, readPhrase, wordsBeyond } from "./phrase";

const arm: Target = { type: "node", key: "root/arm" };
const index = smallIndex();
const joint = {
  id: "h",
  name: "Swing",
  target: arm,
  kind: "hinge",
  point: [0, 0, 0],
  direction: [0, 0, 1],
  zero: 0,
  flipped: false,
  pitch: 0,
  limits: null,
} as const;
const prepared = {
  ...preparation(),
  joints: { h: joint, s: { ...joint, id: "s", kind: "slide" } },
} as unknown as ReturnType<typeof preparation>;
const made = (kind: string) =>
  makeMove(
    kind,
    { index, preparation: prepared, targets: [arm], camera: "main", nodesOf: () => [1], view: { lens: 50 } },
    0,
    kind,
  );
const asked = (text: string, kind: string) =>
  phraseChange(readPhrase(text), made(kind), prepared, { num: 30, den: 1 }, "mm");

describe("a phrase", () => {
  test.each([
    ["take off", ["take", "off"], "", ""],
    ["turn 1/4 turn", ["turn"], "1/4 turn", ""],
    ["orbit -40° in 3 s", ["orbit"], "-40°", "3 s"],
    ["fit in 0", ["fit"], "", "0"],
    ["slide 12.5 mm in 75f", ["slide"], "12.5 mm", "75f"],
    ["put in", ["put", "in"], "", ""],
    ["  ", [], "", ""],
  ])("%s", (text, words, value, time) => {
    expect(readPhrase(text)).toEqual({ words, value, time, back: false, often: "", ease: null });
  });
  test.each([
    [
      "turn own 1 turn and back in 0.5 s, 3 times, steady",
      { value: "1 turn", time: "0.5 s", back: true, often: "3 times", ease: { kind: "soft", start: 0, stop: 0 } },
    ],
    ["spin for good", { words: ["spin"], value: "", often: "for good" }],
    ["joint 30 until 12 s steady", { value: "30", often: "until 12 s", ease: { kind: "soft", start: 0, stop: 0 } }],
  ])("%s", (text, parts) => {
    expect(readPhrase(text)).toMatchObject(parts);
  });
  test("there and back counts as one, and what is until a moment is cut to whole rounds", () => {
    const rate = { num: 30, den: 1 };
    const repeat = (text: string) => phraseRepeat(readPhrase(text), seconds(1), seconds(2), rate);
    expect(repeat("turn 9 and back")).toEqual({ repeat: { times: 2, period: null, way: "swing" } });
    expect(repeat("turn 9 and back 3 times")).toMatchObject({ repeat: { times: 6, way: "swing" } });
    expect(repeat("turn 9 and back until 7 s")).toMatchObject({ repeat: { times: 4 } });
    expect(repeat("turn 9 for ever")).toMatchObject({ repeat: { times: null, way: "same" } });
    expect(repeat("turn 9")).toEqual({ repeat: null });
    expect(repeat("turn 9 0 times")).toHaveProperty("error");
    expect(phraseRepeat(readPhrase("turn 9 3 times"), 0, 0, rate)).toHaveProperty("error");
  });
  test("sets the main value and the length in the units of the kind", () => {
    expect(asked("turn 1/4 turn in 2 s", "turn")).toEqual({ settings: { degrees: 90 }, length: seconds(2) });
    expect(asked("slide 3 cm", "slide")).toEqual({ settings: { distance: 30 } });
    expect(asked("drive 4 turns", "joint")).toEqual({ settings: { value: 1440 } });
    expect(asked("attention 5", "attention")).toEqual({ settings: { times: 5 } });
    expect(asked("fit in 45f", "camera-fit")).toEqual({ settings: {}, length: seconds(1.5) });
  });
  test("several values go to settings in their order, others by their labels", () => {
    expect(asked("orbit 140° 12 in 3 s", "camera-orbit")).toEqual({
      settings: { degrees: 140, rise: 12 },
      length: seconds(3),
    });
    expect(asked("orbit 140 above 12", "camera-orbit")).toEqual({ settings: { degrees: 140, rise: 12 } });
    expect(asked("attention dim 80 %", "attention")).toEqual({ settings: { dim: 0.8 } });
    expect(asked("slide 3 cm along to the left", "slide")).toEqual({
      settings: { distance: 30, direction: [-1, 0, 0] },
    });
    expect(asked("take off leaves", "take-off")).toEqual({ settings: { "leaving.on": true } });
    expect(asked("stretch 0.5 stays its high end held between 2 s", "stretch")).toEqual({
      settings: { factor: 0.5, stays: "high", hold: seconds(2) },
    });
    expect(asked("turn goes home", "turn")).toEqual({ settings: { way: "home" } });
    expect(asked("take off 20 mm 30", "take-off")).toHaveProperty("error");
    expect(asked("slide along nowhere", "slide")).toHaveProperty("error");
    expect(asked("turn goes sideways", "turn")).toHaveProperty("error");
  });
  test("words beyond a name must begin a label of that kind", () => {
    const kind = {
      title: "Camera: orbit",
      words: ["swing"],
      fields: [{ name: "rise", label: "Up by", type: "degrees" as const }],
    };
    expect(
      [["orbit"], ["orbit", "up"], ["swing", "up", "by"], ["orbit", "down"], ["up"]].map((w) => wordsBeyond(w, kind)),
    ).toEqual([[], ["up"], ["up", "by"], null, null]);
  });
  test.each([
    ["steady", 0, 0],
    ["soft stop", 0, 0.7],
    ["soft start", 0.7, 0],
  ])("an ease by its name: %s", (name, start, stop) => {
    expect(readPhrase(`named pose ${name} in 2 s`)).toMatchObject({
      words: ["named", "pose"],
      ease: { start, stop },
      time: "2 s",
    });
  });
  test("a slide's reading is a length", () => {
    const slide = { ...prepared, joints: { s: prepared.joints.s } } as typeof prepared;
    const move = makeMove(
      "joint",
      { index, preparation: slide, targets: [arm], camera: "main", nodesOf: () => [1], view: {} },
      0,
      "x",
    );
    expect(phraseChange(readPhrase("drive 2 cm"), move, slide, { num: 30, den: 1 }, "mm")).toEqual({
      settings: { value: 20 },
    });
  });
  test("no time at all is a time", () => {
    expect(asked("slide 12.5 in 0 s", "slide")).toMatchObject({ length: 0 });
    expect(asked("slide 12.5 in -1 s", "slide")).toHaveProperty("error");
  });
  test("says what it cannot read", () => {
    expect(asked("turn 3 apples", "turn")).toMatchObject({ error: expect.stringContaining("Angle") });
    expect(asked("follow 3", "camera-cut")).toMatchObject({ error: expect.stringContaining("no value to set") });
    expect(asked("turn 3 in 5 apples", "turn")).toHaveProperty("error");
  });
});
