import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { hash, level, sound } from "../../../tests/support/sound";
import { setSound } from "../../core/edit/soundCommands";
import type { Desk } from "../port";
import { setHeard } from "./heard";
import { Sounding } from "./sounding";

let desk: Desk;
let sounding: Sounding;
let log: string[];
let now: number;
/** How loud each was played. */
let loud: number[];
const DELAY = 0.02;

const ready = (asset: string) =>
  setHeard(desk, asset, { state: "ready", pcm: level(2, 0.5), buffer: null, peaks: new Float32Array(800).fill(0.5) });
/** The playhead at a time while playing, s, when the loudspeaker's clock stands at another. */
const at = (t: number, clock = now, more: Partial<Desk["state"]> = {}) => {
  now = clock;
  desk.set({ playing: true, backward: false, ticks: seconds(t), ...more });
};

beforeEach(() => {
  vi.stubGlobal("fetch", () => Promise.reject(new Error("no network")));
  const film = sequenceOf([{}, {}]);
  film.sounds = {
    v: sound("v", 1, "s0", 1),
    w: sound("w", 2, "s1", 0, { asset: hash("b") }),
    off: sound("off", 1, "s0", 0, { on: false }),
  };
  desk = smallDesk(film);
  log = [];
  loud = [];
  now = 100;
  sounding = new Sounding(desk, () => ({
    now: () => now,
    delay: () => DELAY,
    play: (s, _buffer, when, from, speed) => {
      loud.push(Math.max(...s.fade.filter((_, i) => i % 2 === 1)));
      log.push(`${s.sound.id} at ${when} from ${from.toFixed(2)}${speed === 1 ? "" : ` x${speed}`}`);
    },
    silence: () => log.push("silence"),
  }));
  ready(hash("a"));
  ready(hash("b"));
});
afterEach(() => {
  sounding.dispose();
  vi.unstubAllGlobals();
});

describe("sounds while playing", () => {
  test("begin with the picture, ahead by what the loudspeaker takes", () => {
    at(0.5);
    expect(log).toEqual(["v at 100 from 0.52", "w at 100 from 0.52"]);
    for (let i = 1; i < 60; i++) at(0.5 + i / 30, 100 + i / 30);
    expect(log).toHaveLength(2);
  });
  test("what is over is not begun, what is not loaded is not missed by the others", () => {
    setHeard(desk, hash("b"), { state: "loading" });
    at(2.5);
    expect(log).toEqual([]);
    ready(hash("b"));
    at(2.6, 100.1);
    expect(log).toEqual(["silence", "w at 100.1 from 2.62"]);
  });
  test("follow the playhead where it jumps, and a loop", () => {
    at(4);
    log.length = 0;
    at(1.2, 100.03);
    expect(log).toEqual(["silence", "v at 100.03 from 1.22", "w at 100.03 from 1.22"]);
  });
  test("are put right where the picture lags", () => {
    at(1);
    log.length = 0;
    at(1.1, 100.2);
    expect(log).toEqual([]);
    at(1.2, 100.4);
    expect(log[0]).toBe("silence");
  });
  test("go as fast as the picture", () => {
    at(1, 100, { play: { ...desk.state.play, speed: 2 } });
    expect(log[0]).toBe("v at 100 from 1.04 x2");
    log.length = 0;
    for (let i = 1; i < 20; i++) at(1 + i / 15, 100 + i / 30);
    expect(log).toEqual([]);
  });
  test.each([
    ["backward", { backward: true }],
    ["paused", { playing: false }],
    ["while something is recorded", { recording: { step: "s0", replaces: null, seconds: 0, level: 0 } }],
  ])("are silent %s", (_, more) => {
    at(1);
    log.length = 0;
    at(1.05, 100.05, more);
    expect(log).toEqual(["silence"]);
    at(1.1, 100.1, more);
    expect(log).toEqual(["silence"]);
  });
  test("are silent while every frame is waited for", () => {
    at(1, 100, { play: { ...desk.state.play, every: true } });
    expect(log).toEqual([]);
  });
  test("are silent where a seam is played slowly", () => {
    at(0.1, 100, { play: { ...desk.state.play, seam: true, atEnd: "loop" } });
    expect(log).toEqual([]);
  });
  test("are played softer, all alike, where together they would clip", () => {
    desk.edit("More", setSound("v", { volume: 6 }));
    loud.length = 0;
    at(1);
    // 0.5 and 6 dB is 0.998: nothing clips. With 3 dB more it would.
    expect(loud.map((v) => v.toFixed(3))).toEqual(["1.995", "1.000"]);
    desk.edit("More", setSound("v", { volume: 9 }));
    loud.length = 0;
    at(1.1, 100.1);
    expect(loud.map((v) => v.toFixed(3))).toEqual(["2.000", "0.710"]);
  });
  test("an edit is heard at once", () => {
    at(1);
    log.length = 0;
    desk.edit("Louder", setSound("v", { volume: 3 }));
    at(1.1, 100.1);
    expect(log).toEqual(["silence", "v at 100.1 from 1.12", "w at 100.1 from 1.12"]);
  });
});
