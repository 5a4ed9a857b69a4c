import { problemOf } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import { addSoundFiles, replaceSoundFile, type SoundPort } from "../acts/soundActs";
import type { Desk } from "../port";
import { SOUND_MOST_MINUTES } from "./decode";

/** What a browser can record to, the most open first. */
const TYPES = [
  { type: "audio/ogg;codecs=opus", ending: ".ogg" },
  { type: "audio/webm;codecs=opus", ending: ".webm" },
  { type: "audio/mp4", ending: ".m4a" },
];
/** How often the level is shown, ms. */
const SHOWN_MS = 100;

let running: { desk: Desk; stop(keep: boolean): void } | null = null;
/** Counts what was begun and ended: whoever was let at the microphone after another had begun has no business with it. */
let begun = 0;

/**
 * Records from the microphone for a step, while the step is played without sound; the recording is added at the
 * step's beginning, or takes the place of another. It ends by {@link endRecording}.
 */
export async function startRecording(
  desk: Desk,
  stepId: string,
  replaces: string | null = null,
  port?: SoundPort,
): Promise<void> {
  endRecording(false);
  const own = begun;
  const at = desk.program.steps.position.get(stepId);
  const step = desk.body().steps[stepId];
  if (at === undefined || !step) {
    desk.notify("problem", problemOf(new Refusal("step-not-shown")));
    return;
  }
  let stream: MediaStream;
  try {
    // As it was spoken: what browsers do for calls cuts off beginnings and pumps.
    const plain = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
    stream = await navigator.mediaDevices.getUserMedia({ audio: plain });
  } catch {
    if (own === begun) desk.notify("problem", problemOf(new Refusal("no-microphone")));
    return;
  }
  if (own !== begun) {
    for (const track of stream.getTracks()) track.stop();
    return;
  }
  const kind = TYPES.find((t) => MediaRecorder.isTypeSupported(t.type));
  const recorder = new MediaRecorder(stream, kind ? { mimeType: kind.type, audioBitsPerSecond: 128_000 } : {});
  const pieces: Blob[] = [];
  const context = new AudioContext();
  const meter = context.createAnalyser();
  meter.fftSize = 1024;
  context.createMediaStreamSource(stream).connect(meter);
  const samples = new Float32Array(meter.fftSize);
  const since = performance.now();
  let keep = true;
  const show = () => {
    meter.getFloatTimeDomainData(samples);
    const level = samples.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
    const seconds = (performance.now() - since) / 1000;
    desk.set({ recording: { step: stepId, replaces, seconds, level } });
    if (seconds > 60 * SOUND_MOST_MINUTES) endRecording(true);
  };
  const timer = setInterval(show, SHOWN_MS);
  recorder.ondataavailable = (e) => pieces.push(e.data);
  recorder.onstop = () => {
    clearInterval(timer);
    for (const track of stream.getTracks()) track.stop();
    void context.close();
    desk.set({ recording: null });
    running = null;
    if (!keep) return;
    const type = recorder.mimeType.split(";")[0] ?? "";
    const ending = TYPES.find((t) => t.type.startsWith(type))?.ending ?? ".webm";
    const file = new File(pieces, `${step.title || "Recording"}${ending}`, { type });
    if (replaces !== null) void replaceSoundFile(desk, replaces, file, port);
    else void addSoundFiles(desk, [file], { role: "voice", step: stepId, at: 0 }, port);
  };
  running = {
    desk,
    stop(kept) {
      keep = kept;
      if (recorder.state !== "inactive") recorder.stop();
    },
  };
  recorder.start(1000);
  show();
  desk.pause();
  desk.seek(desk.program.steps.start[at] as number);
  desk.playback.playTo(desk.program.steps.end[at] as number);
}

/** Ends a recording. @param keep whether it is added, or thrown away */
export function endRecording(keep: boolean): void {
  begun++;
  running?.desk.pause();
  running?.stop(keep);
}
