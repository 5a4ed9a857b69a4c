/** Coarse pitches of metric threads by nominal diameter, mm (ISO 261, ISO 724). */
const COARSE: readonly (readonly [number, number])[] = [
  [1, 0.25],
  [1.2, 0.25],
  [1.6, 0.35],
  [2, 0.4],
  [2.5, 0.45],
  [3, 0.5],
  [4, 0.7],
  [5, 0.8],
  [6, 1],
  [8, 1.25],
  [10, 1.5],
  [12, 1.75],
  [16, 2],
  [20, 2.5],
  [24, 3],
  [30, 3.5],
  [36, 4],
  [42, 4.5],
  [48, 5],
  [56, 5.5],
  [64, 6],
];

/** The coarse pitch of the thread size nearest to a diameter, mm. Beyond the table it grows in proportion. */
export function coarsePitch(diameter: number): number {
  const last = COARSE[COARSE.length - 1] as readonly [number, number];
  if (diameter > last[0] * 1.1) return Math.round((diameter * last[1] * 10) / last[0]) / 10;
  return COARSE.reduce((best, row) => (Math.abs(row[0] - diameter) < Math.abs(best[0] - diameter) ? row : best))[1];
}
