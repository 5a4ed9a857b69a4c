import type { Pcm } from "../../core/sound/mix";

/** A sound file at the desk: on its way, with its samples and what its waveform is drawn from, or why it is not there. */
export type Heard =
  | { state: "loading" }
  | { state: "ready"; pcm: Pcm; buffer: AudioBuffer | null; peaks: Float32Array }
  | { state: "failed"; message: string };
