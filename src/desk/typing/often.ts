import { type FrameRate, parseTime } from "../../core/time/time";

/** How often something is done, in words. */
export const shownOften = (times: number | null): string => (times === null ? "for good" : `${times} times in all`);

/** How a typed "how often" says that it goes on: from where it ended, or back the same way. */
const WAYS = [
  [/[\s,]*\bfrom there$/, "add"],
  [/[\s,]*\band back$/, "swing"],
] as const;

/**
 * Reads "3", "3 times", "until 12 s" or "for good", perhaps with "from there" or "and back" behind it. Times count the
 * first one too.
 */
export function parseOften(
  text: string,
  rate: FrameRate,
): (({ times: number | null } | { until: number }) & { way?: "add" | "swing" }) | { error: string } {
  const typed = text.trim().toLowerCase();
  for (const [words, way] of WAYS) {
    if (!words.test(typed)) continue;
    const read = parseOften(typed.replace(words, ""), rate);
    return "error" in read ? read : { ...read, way };
  }
  const clean = typed;
  if (/^(for (good|ever)|always)$/.test(clean)) return { times: null };
  const until = /^until\s+(.+)$/.exec(clean);
  if (until) {
    const read = parseTime(until[1] as string, rate);
    return "error" in read ? read : { until: read.ticks };
  }
  const n = Number(/^(\d+)(\s*(x|times)?(\s+in all)?)$/.exec(clean)?.[1] ?? Number.NaN);
  if (!Number.isInteger(n) || n < 1 || n > 10_000)
    return { error: 'How often in all, such as "3 times", "until 12 s", "for good" or "5 times from there".' };
  return { times: n };
}
