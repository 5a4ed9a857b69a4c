import { type FrameRate, parseTime } from "../../core/time/time";

/** How often something is done, in words. */
export const shownOften = (times: number | null): string => (times === null ? "for good" : `${times} times in all`);

/** Reads "3", "3 times", "until 12 s" or "for good". Times count the first one too. */
export function parseOften(
  text: string,
  rate: FrameRate,
): { times: number | null } | { until: number } | { error: string } {
  const clean = text.trim().toLowerCase();
  if (/^(for (good|ever)|always)$/.test(clean)) return { times: null };
  const until = /^until\s+(.+)$/.exec(clean);
  if (until) {
    const read = parseTime(until[1] as string, rate);
    return "error" in read ? read : { until: read.ticks };
  }
  const n = Number(/^(\d+)(\s*(x|times)?(\s+in all)?)$/.exec(clean)?.[1] ?? Number.NaN);
  if (!Number.isInteger(n) || n < 1 || n > 10_000)
    return { error: 'How often in all, such as "3 times", "until 12 s" or "for good".' };
  return { times: n };
}
