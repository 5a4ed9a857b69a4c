/**
 * By how many samples a sound comes later than what it was made of: the shift at which both are most alike
 * (cross-correlation, by its definition). Of shifts that are as good the smallest is taken, for tones repeat.
 * @param made samples; `most` more on both sides than `of` has
 * @returns the shift, and how alike they are there, 0 to 1
 */
export function lagOf(made: Float32Array, of: Float32Array, most: number): { lag: number; alike: number } {
  const alike = new Float64Array(2 * most + 1);
  let own = 0;
  for (const v of of) own += v * v;
  for (let shift = 0; shift <= 2 * most; shift++) {
    let both = 0;
    let other = 0;
    for (let i = 0; i < of.length; i++) {
      const m = made[i + shift] ?? 0;
      both += m * (of[i] as number);
      other += m * m;
    }
    alike[shift] = own > 0 && other > 0 ? both / Math.sqrt(own * other) : 0;
  }
  const top = alike.reduce((a, b) => Math.max(a, b), 0);
  let best = 0;
  let found = -1;
  alike.forEach((v, i) => {
    const better = v >= 0.98 * top && (found < 0 || Math.abs(i - most) < Math.abs(best));
    if (!better) return;
    found = v;
    best = i - most;
  });
  return { lag: best, alike: Math.max(0, found) };
}
