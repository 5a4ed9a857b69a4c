import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { hash, level, sound, wav } from "../../../tests/support/sound";
import type { SoundPort } from "../acts/soundActs";
import type { Desk } from "../port";
import { SOUND_MOST_MINUTES } from "./decode";
import { endRecording, startRecording } from "./recorder";

/** Microphones that are open. */
let open = 0;
let recorders: Recorder[] = [];
let loud = 0;
let supported: string[] = [];
let asked: (() => void)[] = [];

class Recorder {
  state = "inactive";
  mimeType: string;
  ondataavailable: (e: { data: Blob }) => void = () => {};
  onstop: () => void = () => {};
  constructor(_: unknown, { mimeType = "" }: { mimeType?: string }) {
    this.mimeType = mimeType;
    recorders.push(this);
  }
  static isTypeSupported = (type: string) => supported.includes(type);
  start(): void {
    this.state = "recording";
  }
  stop(): void {
    this.state = "inactive";
    this.ondataavailable({ data: new Blob([SAID]) });
    this.onstop();
  }
}

const SAID = wav(new Float32Array(8)) as Uint8Array<ArrayBuffer>;
let desk: Desk;
/** What was brought in: files of one second. */
let sent: File[] = [];
const port = {
  check: async (file: File) => void sent.push(file),
  decode: async () => ({ pcm: level(1, 0.5), buffer: {} as AudioBuffer }),
  upload: async () => ({ asset: hash("a") }),
} as unknown as SoundPort;
const sounds = () => Object.values(desk.body().sounds ?? {});

beforeEach(() => {
  vi.useFakeTimers();
  sent = [];
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal("requestAnimationFrame", () => 0);
  [open, recorders, loud, asked] = [0, [], 0.25, []];
  supported = ["audio/webm;codecs=opus", "audio/mp4"];
  vi.stubGlobal("MediaRecorder", Recorder);
  vi.stubGlobal(
    "AudioContext",
    class {
      createAnalyser = () => ({
        fftSize: 0,
        getFloatTimeDomainData: (to: Float32Array) => to.fill(-loud, 3, 4),
      });
      createMediaStreamSource = () => ({ connect: () => {} });
      close = async () => {};
    },
  );
  const stream = () => {
    open++;
    let on = true;
    const stop = () => {
      if (on) open--;
      on = false;
    };
    return { getTracks: () => [{ stop }] };
  };
  const getUserMedia = () =>
    new Promise((resolve) => {
      asked.push(() => resolve(stream()));
    });
  vi.stubGlobal("navigator", { mediaDevices: { getUserMedia } });
  desk = smallDesk(sequenceOf([{}, { "root/arm": [key("a", 1, 1, { "slide.x": 5 })] }]));
});
afterEach(() => {
  endRecording(false);
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
/** Begins, and allows the microphone. */
async function begun(replaces: string | null = null): Promise<void> {
  const going = startRecording(desk, "s1", replaces, port);
  asked.shift()?.();
  await going;
}

test("a recording plays its step from its beginning, tells level and time, and is added there when it is kept", async () => {
  const playTo = vi.spyOn(desk.playback, "playTo").mockImplementation(() => {});
  await begun();
  expect(desk.state.ticks).toBe(desk.program.steps.start[1]);
  expect(playTo).toHaveBeenCalledWith(desk.program.steps.end[1]);
  expect(desk.state.recording).toMatchObject({ step: "s1", replaces: null, level: 0.25 });
  loud = 0.5;
  vi.advanceTimersByTime(700);
  expect(desk.state.recording?.level).toBe(0.5);
  expect(desk.state.recording?.seconds).toBeCloseTo(0.7, 1);
  endRecording(true);
  expect([desk.state.recording, open]).toEqual([null, 0]);
  await vi.waitFor(() => expect(sounds()).toHaveLength(1));
  const [file] = sent;
  expect([file?.name, file?.type, file?.size]).toEqual(["Step 1.webm", "audio/webm", SAID.length]);
  expect(sounds()).toMatchObject([{ name: "Step 1", role: "voice", step: "s1", at: 0, length: seconds(1) }]);
  expect(desk.state.recording).toBeNull();
});

test("it is written in what the browser has, the most open first, and takes the place of another where it is to", async () => {
  supported = ["audio/mp4"];
  const old = sound("old", 2, "s1", 0.5, { asset: hash("b") });
  desk.edit("Old", (d) => {
    d.sounds = { old };
  });
  await begun("old");
  endRecording(true);
  await vi.waitFor(() => expect(sounds()[0]?.asset).toBe(hash("a")));
  expect(sent.map((f) => [f.name, f.type])).toEqual([["Step 1.m4a", "audio/mp4"]]);
  expect(sounds()).toMatchObject([{ id: "old", asset: hash("a"), step: "s1", at: seconds(0.5) }]);
  supported = ["audio/webm;codecs=opus", "audio/ogg;codecs=opus"];
  await begun();
  expect(recorders.at(-1)?.mimeType).toBe("audio/ogg;codecs=opus");
});

test("thrown away nothing is added, and the microphone is closed", async () => {
  await begun();
  expect(open).toBe(1);
  endRecording(false);
  await vi.advanceTimersByTimeAsync(10);
  expect([open, desk.state.recording, sent, sounds()]).toEqual([0, null, [], []]);
});

test("one that is forgotten ends by itself, and is kept", async () => {
  await begun();
  await vi.advanceTimersByTimeAsync(60_000 * SOUND_MOST_MINUTES + 500);
  expect([open, desk.state.recording]).toEqual([0, null]);
  await vi.waitFor(() => expect(sent).toHaveLength(1));
});

test("asked for twice before the microphone is allowed, one records and no microphone is left open", async () => {
  const going = [startRecording(desk, "s1"), startRecording(desk, "s0")];
  for (const allow of asked.splice(0)) allow();
  await Promise.all(going);
  expect([open, recorders.length, desk.state.recording?.step]).toEqual([1, 1, "s0"]);
  endRecording(false);
  expect(open).toBe(0);
});

test("given up before the microphone is allowed, nothing is recorded", async () => {
  const going = startRecording(desk, "s1");
  endRecording(false);
  asked.shift()?.();
  await going;
  expect([open, recorders.length, desk.state.recording]).toEqual([0, 0, null]);
});

test("without a microphone, or for a step that is off, it says so", async () => {
  vi.stubGlobal("navigator", { mediaDevices: { getUserMedia: () => Promise.reject(new Error("denied")) } });
  const notify = vi.spyOn(desk, "notify");
  await startRecording(desk, "s1");
  await startRecording(desk, "gone");
  expect(notify.mock.calls.map(([kind]) => kind)).toEqual(["problem", "problem"]);
  expect(new Set(notify.mock.calls.map(([, text]) => text)).size).toBe(2);
  expect(recorders).toHaveLength(0);
});
