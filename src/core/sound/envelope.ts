/**
 * A gain that changes in straight lines: times (s, ascending) and gains in turn, held before the first and after the
 * last. What plays sounds and what mixes them follow the same one.
 */
export type Envelope = Float64Array;

export const gainOf = (dB: number): number => 10 ** (dB / 20);

/** The gain at a time, s. */
export function gainAt(e: Envelope, t: number): number {
  const last = e.length - 2;
  if (last < 0) return 1;
  if (t <= (e[0] as number)) return e[1] as number;
  if (t >= (e[last] as number)) return e[last + 1] as number;
  let [lo, hi] = [0, last >> 1];
  while (hi - lo > 1) {
    const mid = (lo + hi) >> 1;
    if ((e[2 * mid] as number) <= t) lo = mid;
    else hi = mid;
  }
  const i = 2 * lo;
  const [a, b] = [e[i] as number, e[i + 2] as number];
  const [ga, gb] = [e[i + 1] as number, e[i + 3] as number];
  return ga + ((gb - ga) * (t - a)) / (b - a);
}

/** Shortest time in which a sound that was cut off comes or goes, s: a cut through a wave clicks. */
const CLICK = 0.004;

/**
 * Coming and going of a sound between two times, s. Where both take longer than there is time they share it.
 * @param cut whether its beginning and its end are not those of the file
 */
export function fadeEnvelope(
  span: { from: number; to: number },
  volume: number,
  fade: { in: number; out: number },
  cut: { from: boolean; to: boolean },
): Envelope {
  const length = span.to - span.from;
  const come = Math.max(fade.in, cut.from ? CLICK : 0);
  const go = Math.max(fade.out, cut.to ? CLICK : 0);
  const share = Math.min(1, length / Math.max(1e-9, come + go));
  const [a, b] = [span.from + come * share, span.to - go * share];
  const points: number[] = [];
  if (come > 0) points.push(span.from, 0);
  points.push(a, volume);
  if (b > a) points.push(b, volume);
  if (go > 0) points.push(span.to, 0);
  return Float64Array.from(points);
}

/** How long before a voice music begins to get softer, and how long after it is as loud again, s. */
export const DUCK_BEFORE = 0.25;
export const DUCK_AFTER = 0.6;

/**
 * What music is lowered to while somebody speaks.
 * @param voices when voices are heard, s, in any order @param low gain under a voice
 */
export function duckEnvelope(voices: readonly { from: number; to: number }[], low: number): Envelope {
  const sorted = [...voices].sort((a, b) => a.from - b.from);
  const spoken: { from: number; to: number }[] = [];
  for (const v of sorted) {
    const last = spoken[spoken.length - 1];
    // In a short pause it does not come up and go down again.
    if (last && v.from - last.to < DUCK_BEFORE + DUCK_AFTER) last.to = Math.max(last.to, v.to);
    else spoken.push({ ...v });
  }
  return Float64Array.from(
    spoken.flatMap((v) => [v.from - DUCK_BEFORE, 1, v.from, low, v.to, low, v.to + DUCK_AFTER, 1]),
  );
}
