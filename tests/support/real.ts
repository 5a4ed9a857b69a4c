import fc from "fast-check";

/**
 * Numbers spread evenly over a range, its ends and nought among them. `fc.double` draws from all magnitudes: most of
 * what it gives within -180 to 180 is next to nothing, and a turn by nothing tests nothing.
 */
export function real(min: number, max: number): fc.Arbitrary<number> {
  const marks = [min, max, ...(min < 0 && max > 0 ? [0] : [])];
  const spread = fc.integer({ min: 0, max: 1_000_000 }).map((v) => min + ((max - min) * v) / 1_000_000);
  return fc.oneof({ weight: 9, arbitrary: fc.noBias(spread) }, { weight: 1, arbitrary: fc.constantFrom(...marks) });
}
