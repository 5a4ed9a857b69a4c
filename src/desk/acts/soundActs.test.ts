import { beforeEach, describe, expect, test, vi } from "vitest";
import { seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { hash, level, sound, wav } from "../../../tests/support/sound";
import type { Sound } from "../../core/document/sounds";
import { Refusal } from "../../core/text/refusal";
import type { Desk } from "../port";
import { chooseParts } from "../selection/selecting";
import { sound as selected } from "../selection/selection";
import { removeFocused } from "./removing";
import { addSoundFiles, changeRole, fitStillAct, nudgeSound, replaceSoundFile, type SoundPort } from "./soundActs";

let desk: Desk;
let length: number;
/** Files of one second, each kept under a letter. */
const port = (): SoundPort => {
  let n = 0;
  return {
    check: async () => {},
    decode: async () => ({ pcm: level(length, 0.5), buffer: {} as AudioBuffer }),
    upload: (async () => ({ asset: hash("abcdef"[n++] as string) })) as SoundPort["upload"],
  };
};
const file = (name: string, bytes: Uint8Array | string = wav(new Float32Array(8))) =>
  new File([bytes as Uint8Array<ArrayBuffer>], name);
const sounds = () => Object.values(desk.body().sounds ?? {});
const places = () => sounds().map((s) => `${s.name} ${s.step} ${s.at / seconds(1)}`);
const voice = { role: "voice", step: "s0", at: seconds(0.5) } as const;

beforeEach(() => {
  vi.stubGlobal("fetch", () => Promise.reject(new Error("no network")));
  length = 1;
  desk = smallDesk(sequenceOf([{}, {}, {}]));
});

describe("bringing in", () => {
  test("one file puts it where it was dropped, shows it and can be undone", async () => {
    await addSoundFiles(desk, [file("hello.wav")], voice, port());
    expect(places()).toEqual(["hello s0 0.5"]);
    expect(desk.state.focus).toEqual({ kind: "sound", id: sounds()[0]?.id });
    expect(desk.state.heard[hash("a")]).toMatchObject({ state: "ready" });
    expect(desk.state.work).toBeNull();
    expect(desk.state.undoLabel).toBe('Add recording "hello"');
    desk.undo();
    expect(sounds()).toEqual([]);
    expect(desk.state.focus.kind).toBe("step");
  });
  test("several go to as many steps in the order of their names; what is left over stands behind the last", async () => {
    const names = ["take 10.wav", "take 2.wav", "take 1.wav", "take 11.wav"];
    await addSoundFiles(
      desk,
      names.map((n) => file(n)),
      voice,
      port(),
    );
    expect(places()).toEqual(["take 1 s0 0.5", "take 2 s1 0", "take 10 s2 0", "take 11 s2 1"]);
    expect(desk.state.notice?.text).toBe(
      "4 recordings, one for each of 3 steps from here on; 1 more stand behind the last.",
    );
    desk.undo();
    expect(sounds()).toEqual([]);
  });
  test("music begins where it is put, and is softer", async () => {
    await addSoundFiles(desk, [file("bed.wav")], { role: "music", step: null, at: 0 }, port());
    expect(sounds()[0]).toMatchObject({ role: "music", step: null, volume: -12 });
  });
  test.each([
    ["a text", file("a.wav", "RIFF of a text"), /"a.wav" is not a sound/],
    ["nothing", file("a.wav", ""), /no sound in "a.wav"/],
  ])("%s is refused in words, and nothing is changed", async (_, bad, said) => {
    await addSoundFiles(desk, [bad], voice, port());
    expect([desk.state.notice?.tone, desk.state.notice?.text]).toEqual(["problem", expect.stringMatching(said)]);
    expect(sounds()).toEqual([]);
    expect(desk.state.work).toBeNull();
  });
  test("of several files one that is too long does not keep out the others", async () => {
    const it = port();
    it.check = async (_, name) => {
      if (name === "b.wav") throw new Refusal("sound-too-long", { file: name, minutes: 61, most: 20 });
    };
    await addSoundFiles(
      desk,
      ["a.wav", "b.wav", "c.wav"].map((n) => file(n)),
      voice,
      it,
    );
    expect(places()).toEqual(["a s0 0.5", "c s1 0"]);
  });
  test("stopped in the middle it keeps what is there and asks for no more", async () => {
    const it = port();
    const { upload } = it;
    it.upload = (async (...args: Parameters<typeof upload>) => {
      desk.state.work?.stop();
      return upload(...args);
    }) as typeof upload;
    await addSoundFiles(
      desk,
      ["a.wav", "b.wav"].map((n) => file(n)),
      voice,
      it,
    );
    expect(places()).toEqual(["a s0 0.5"]);
  });
});

describe("a recording", () => {
  beforeEach(() => {
    const film = sequenceOf([{}, {}, {}]);
    film.sounds = { v: sound("v", 1, "s1", 0.5) };
    desk = smallDesk(film);
    chooseParts(desk, selected("v"));
  });
  const one = () => desk.body().sounds?.v as Sound;

  test("is replaced at its place, and it is said by how much the new one differs", async () => {
    length = 2.5;
    await replaceSoundFile(desk, "v", file("again.wav"), port());
    expect(one()).toMatchObject({ step: "s1", at: seconds(0.5), to: seconds(2.5), file: "again.wav" });
    expect(desk.state.notice?.text).toBe("It stays at its time, and is 1.5 s longer than before.");
  });
  test("moves by frames, into the step before as well, and stops at the beginning", () => {
    nudgeSound(desk, 3);
    expect(one().at).toBe(seconds(0.6));
    nudgeSound(desk, -30);
    expect([one().step, one().at]).toEqual(["s0", seconds(2.6)]);
    nudgeSound(desk, -300);
    expect([one().step, one().at]).toEqual(["s0", 0]);
    expect(desk.state.notice?.text).toMatch(/beginning of the sequence/);
    desk.undo();
    expect([one().step, one().at]).toEqual(["s1", seconds(0.5)]);
  });
  test("stays where it is heard when it becomes music and a voice again", () => {
    changeRole(desk, "v", "music");
    expect([one().step, one().at]).toEqual([null, seconds(3.5)]);
    expect(desk.state.notice?.text).toBe("As music it lies at -12 dB, to leave room for voices.");
    nudgeSound(desk, 90);
    expect(one().at).toBe(seconds(6.5));
    changeRole(desk, "v", "voice");
    expect([one().step, one().at]).toEqual(["s2", seconds(0.5)]);
  });
  test("is removed by Delete, and then the step is shown", () => {
    removeFocused(desk);
    expect(desk.body()).not.toHaveProperty("sounds");
    expect(desk.state.focus.kind).toBe("step");
  });
  test("shortens or lengthens the still of its step; where the action is longer it is said", () => {
    fitStillAct(desk, "s1");
    expect(desk.body().steps.s1?.stillAfter).toBe(0);
    expect(desk.state.notice?.text).toMatch(/action alone/);
    fitStillAct(desk, "s0");
    expect(desk.state.notice?.text).toMatch(/Nothing is said/);
  });
});
