import { describe, expect, test } from "vitest";
import { seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { hash, sound } from "../../../tests/support/sound";
import { emptyPreparation } from "../document/preparation";
import { type Sequence, SequenceSchema } from "../document/sequence";
import type { Sound } from "../document/sounds";
import { compile } from "../program/compile";
import { runCommand } from "./history";
import { duplicateStep, removeStep, type SequenceCommand, setRate } from "./sequenceCommands";
import {
  addSound,
  fitStill,
  moveSound,
  newSound,
  removeSound,
  replaceSound,
  setSound,
  setSoundRole,
  stillForVoice,
  trimSound,
} from "./soundCommands";
import { mergeSteps, splitStep } from "./stepCommands";
import { fitTo } from "./timing/goal";
import { together } from "./together";

const film = (...sounds: Sound[]): Sequence => ({
  ...sequenceOf([{}, {}, {}]),
  ...(sounds.length > 0 ? { sounds: Object.fromEntries(sounds.map((s) => [s.id, s])) } : {}),
});
const after = (s: Sequence, ...c: SequenceCommand[]) => {
  const { document } = runCommand(s, together(c));
  SequenceSchema.parse(document);
  return document;
};
const one = (s: Sequence, id = "v") => s.sounds?.[id] as Sound;

describe("recordings", () => {
  test("are called by their file, each by a name of its own", () => {
    const file = { asset: hash("a"), name: "Welcome.take2.wav", length: seconds(2) };
    const place = { role: "voice", step: "s0", at: 0 } as const;
    const s = after(film(), addSound(newSound("a", file, place)), addSound(newSound("b", file, place)));
    expect(Object.values(s.sounds ?? {}).map((x) => x.name)).toEqual(["Welcome.take2", "Welcome.take2 2"]);
    expect(() => after(s, addSound(newSound("c", file, { ...place, step: "gone" })))).toThrow(/step no longer exists/);
  });
  test("adding and removing one leaves the document as it was", () => {
    const s = film();
    expect(after(s, addSound(sound("v", 1, "s0", 0)), removeSound("v"))).toEqual(s);
  });
  test("moves to a time of another step, never before it", () => {
    const s = after(film(sound("v", 1, "s0", 0)), moveSound("v", "s1", -5));
    expect([one(s).step, one(s).at]).toEqual(["s1", 0]);
  });
  test("trimmed at its beginning what is heard stays where it is", () => {
    const s = after(film(sound("v", 2, "s0", 1)), trimSound("v", seconds(0.5), seconds(1.5)));
    expect(one(s)).toMatchObject({ from: seconds(0.5), to: seconds(1.5), at: seconds(1.5) });
    const again = after(s, trimSound("v", 0, seconds(9)));
    expect(one(again)).toMatchObject({ from: 0, to: seconds(2), at: seconds(1) });
  });
  test("cannot be trimmed away or drawn out before its step", () => {
    const s = film(sound("v", 2, "s0", 0.1, { from: seconds(1) }));
    expect(() => after(s, trimSound("v", seconds(1), seconds(1.001)))).toThrow(/hundredth of a second/);
    expect(() => after(s, trimSound("v", 0, seconds(2)))).toThrow(/before its step/);
  });
  test("a revised file keeps place, volume and trim; what was heard to its end is heard to the new end", () => {
    const was = sound("v", 2, "s0", 1, { from: seconds(0.5), volume: -3, fadeIn: 9 });
    const longer = { asset: hash("b"), name: "again.mp3", length: seconds(3) };
    expect(one(after(film(was), replaceSound("v", longer)))).toEqual({
      ...was,
      ...{ asset: hash("b"), file: "again.mp3", length: seconds(3), to: seconds(3) },
    });
    const trimmed = { ...was, to: seconds(1.5) };
    expect(one(after(film(trimmed), replaceSound("v", longer))).to).toBe(seconds(1.5));
    const short = { ...longer, length: seconds(0.2) };
    expect(one(after(film(trimmed), replaceSound("v", short)))).toMatchObject({ from: 0, to: seconds(0.2) });
    const between = { ...longer, length: seconds(1) };
    expect(one(after(film(trimmed), replaceSound("v", between)))).toMatchObject({ from: seconds(0.5), to: seconds(1) });
  });
  test("becomes music, softer and from the beginning, and a voice again without repeating", () => {
    const s = after(film(sound("v", 2, "s1", 1)), setSoundRole("v", "music", { step: null, at: 0 }));
    expect(one(s)).toMatchObject({ role: "music", step: null, at: 0, volume: -12 });
    const back = after(s, setSound("v", { repeat: true }), setSoundRole("v", "voice", { step: "s2", at: 4 }));
    expect(one(back)).toMatchObject({ role: "voice", step: "s2", at: 4, repeat: false });
  });
  test("keeps a name", () => {
    expect(one(after(film(sound("v", 1, "s0", 0)), setSound("v", { name: " Hello " }))).name).toBe("Hello");
    expect(() => after(film(sound("v", 1, "s0", 0)), setSound("v", { name: " " }))).toThrow(/needs a name/);
    expect(() => after(film(), setSound("v", { volume: 0 }))).toThrow(/no longer exists/);
  });
});

describe("a still is fitted to what is said", () => {
  // Half a second still, two of action, half a second still.
  test("to the frame after its end, by the longest of several", () => {
    const s = film(sound("v", 3.5, "s0", 0.5), sound("w", 1, "s0", 0), sound("x", 9, "s1", 0));
    expect(stillForVoice(s, "s0")).toBe(seconds(1.5));
    const fitted = after(film(sound("v", 3.52, "s0", 0.5)), fitStill("s0")).steps.s0;
    expect(fitted?.stillAfter).toBe(seconds(1.5) + seconds(1) / 30);
  });
  test("to nothing where the action alone is longer; refused where nothing is said", () => {
    expect(after(film(sound("v", 1, "s0", 0)), fitStill("s0")).steps.s0?.stillAfter).toBe(0);
    expect(() => after(film(sound("v", 1, "s0", 0, { on: false })), fitStill("s0"))).toThrow(/Nothing is said/);
    expect(() => after(film(sound("m", 1, "s0", 0, { role: "music" })), fitStill("s0"))).toThrow(/Nothing is said/);
  });
});

describe("what is done to a step is done to what is said in it", () => {
  const s = film(sound("v", 1, "s1", 1), sound("w", 1, "s0", 0), sound("m", 9, null, 0, { role: "music" }));
  const places = (x: Sequence) =>
    Object.values(x.sounds ?? {})
      .map((v) => `${v.name} ${v.step} ${v.at / seconds(1)}`)
      .sort();
  test("removed with it", () => {
    expect(places(after(s, removeStep("s1")))).toEqual(["m null 0", "w s0 0"]);
    expect(after(film(sound("v", 1, "s1", 1)), removeStep("s1"))).not.toHaveProperty("sounds");
  });
  test("copied with it", () => {
    const copy = after(s, duplicateStep("s1", "copy"));
    expect(places(copy)).toEqual(["m null 0", "v 2 copy 1", "v s1 1", "w s0 0"]);
  });
  test("joined with the step before at the same time of the sequence", () => {
    expect(places(after(s, mergeSteps("s0")))).toEqual(["m null 0", "v s0 4", "w s0 0"]);
  });
  test("split with it: what begins after the cut is said in the second half, at the same time of the sequence", () => {
    const film = { ...s, sounds: { ...s.sounds, x: sound("x", 1, "s1", 2) } };
    const program = compile(smallIndex(), emptyPreparation(), film);
    const split = after(film, splitStep(program, "s1", seconds(1.5), "half"));
    expect(places(split)).toEqual(["m null 0", "v s1 1", "w s0 0", "x half 0.5"]);
  });
  test("fitted to a length with it, as a marker is", () => {
    const film = { ...s, sounds: { ...s.sounds, x: sound("x", 1, "s1", 2) } };
    const shorter = after(film, fitTo(film, seconds(3)));
    const at = shorter.sounds?.x?.at ?? 0;
    expect(at).toBeLessThan(seconds(2));
    expect(at).toBeGreaterThan(0);
    expect(shorter.sounds?.m?.at).toBe(0);
  });
  test("keeps its frame with another rate, and its own length", () => {
    const slow = after(s, setRate({ num: 15, den: 1 }, "frames"));
    expect(places(slow)).toEqual(["m null 0", "v s1 2", "w s0 0"]);
    expect(one(slow).to).toBe(seconds(1));
  });
});
