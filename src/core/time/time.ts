/**
 * Time in Plextan is an integer count of ticks. One tick is 1/705,600,000 s (the open "flick" unit), which makes
 * whole ticks of every frame at 24, 25, 30, 48, 50, 60, 100 and 120 frames a second and at the fractional broadcast
 * rates, and whole ticks of their sub-frames. Seconds appear only at the edges (typing and showing).
 */
export const TICKS_PER_SECOND = 705_600_000;

/** A frame rate as an exact fraction: `num / den` frames a second, both positive whole numbers. */
export interface FrameRate {
  num: number;
  den: number;
}

/** The rates offered by name; any other whole fraction that divides a second into whole ticks is also valid. */
export const FRAME_RATES: readonly { label: string; rate: FrameRate }[] = [
  { label: "24", rate: { num: 24, den: 1 } },
  { label: "25", rate: { num: 25, den: 1 } },
  { label: "30", rate: { num: 30, den: 1 } },
  { label: "50", rate: { num: 50, den: 1 } },
  { label: "60", rate: { num: 60, den: 1 } },
  { label: "23.976", rate: { num: 24000, den: 1001 } },
  { label: "29.97", rate: { num: 30000, den: 1001 } },
  { label: "59.94", rate: { num: 60000, den: 1001 } },
];

/** Length of one frame in ticks. Exact for every rate in {@link FRAME_RATES}; otherwise rounded to a tick. */
export function ticksPerFrame(rate: FrameRate): number {
  return Math.round((TICKS_PER_SECOND * rate.den) / rate.num);
}

/** Seconds to the nearest tick. @throws RangeError if the value is not a finite number. */
export function secondsToTicks(seconds: number): number {
  if (!Number.isFinite(seconds)) throw new RangeError(`A time must be a finite number of seconds, got ${seconds}.`);
  return Math.round(seconds * TICKS_PER_SECOND);
}

/** Ticks to seconds (for showing only). */
export function ticksToSeconds(ticks: number): number {
  return ticks / TICKS_PER_SECOND;
}

/** Start of a frame in ticks. */
export function frameToTicks(frame: number, rate: FrameRate): number {
  return Math.round(frame * ticksPerFrame(rate));
}

/** The frame that is on screen at a time: the last one that has started. */
export function frameAt(ticks: number, rate: FrameRate): number {
  return Math.floor(ticks / ticksPerFrame(rate) + 1e-9);
}

/** The nearest frame start, in ticks. */
export function snapToFrame(ticks: number, rate: FrameRate): number {
  const perFrame = ticksPerFrame(rate);
  return Math.round(ticks / perFrame) * perFrame;
}

/** Number of frames that show a sequence of this length: every frame that starts before its end, at least one. */
export function frameCount(lengthTicks: number, rate: FrameRate): number {
  return Math.max(1, Math.ceil(lengthTicks / ticksPerFrame(rate) - 1e-9));
}

/** "29.97", "30" - at most three decimals. */
export function formatRate(rate: FrameRate): string {
  return String(Number((rate.num / rate.den).toFixed(3)));
}

/** "2.4" -> "2.400": seconds with three decimals. */
export function formatSeconds(ticks: number): string {
  const text = ticksToSeconds(ticks).toFixed(3);
  return text === "-0.000" ? "0.000" : text;
}

/** Short seconds for a label: up to two decimals, no trailing zeros ("1.5", "0.25"). */
export function formatSecondsShort(ticks: number): string {
  return String(Number(ticksToSeconds(ticks).toFixed(2)));
}

/**
 * Reads a typed time: "2.4", "2.4s", "2.4 s", "75f" (frames) or "mm:ss:ff".
 * A comma is accepted as the decimal sign.
 * @returns ticks, or an error text that says what is accepted.
 */
export function parseTime(text: string, rate: FrameRate): { ticks: number } | { error: string } {
  const clean = text.trim().toLowerCase().replace(",", ".");
  const frames = /^([+-]?\d+)\s*f(rames?)?$/.exec(clean);
  if (frames) return { ticks: frameToTicks(Number(frames[1]), rate) };
  const clock = /^(\d+):([0-5]?\d):(\d+)$/.exec(clean);
  if (clock) {
    const perSecond = Math.ceil(rate.num / rate.den);
    const ff = Number(clock[3]);
    if (ff >= perSecond) return { error: `Frame ${ff} does not exist at ${formatRate(rate)} frames a second.` };
    return { ticks: secondsToTicks(Number(clock[1]) * 60 + Number(clock[2])) + frameToTicks(ff, rate) };
  }
  const seconds = /^([+-]?(?:\d+\.?\d*|\.\d+))\s*s?$/.exec(clean);
  if (seconds) return { ticks: secondsToTicks(Number(seconds[1])) };
  return { error: `"${text.slice(0, 40)}" is not a time. Type seconds (2.4), frames (75f) or minutes:seconds:frames.` };
}
