import { type FrameRate, parseTime } from "../../core/time/time";

/** Reads a step's length, and whether it has stills: "4", "4 s", "120f", "4 s, no stills", "no stills". */
export function parseStepLength(
  text: string,
  rate: FrameRate,
): { ticks: number | null; stills: "keep" | "none" } | { error: string } {
  const bare = /^(.*?)[\s,]*(?:no|without)\s+stills?$/i.exec(text.trim());
  const stills = bare ? "none" : "keep";
  const time = (bare ? (bare[1] as string) : text).trim();
  if (time === "") return bare ? { ticks: null, stills } : { error: 'A length such as 4, 120f or "4 s, no stills".' };
  const read = parseTime(time, rate);
  if ("error" in read) return read;
  return read.ticks < 0 ? { error: "A step cannot take less than no time." } : { ticks: read.ticks, stills };
}
