import { nth } from "../../core/math/packed";
/** One measurement: `ratio` = ours / reference, lower is better; each the median of several interleaved runs. */
export interface Measurement {
  name: string;
  ours: number;
  reference: number;
  ratio: number;
  unit: string;
  /** Anything worth knowing beside the ratio. */
  note?: string;
}

/** Middle value. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const mid = sorted.length >> 1;
  return sorted.length % 2 ? nth(sorted, mid) : (nth(sorted, mid - 1) + nth(sorted, mid)) / 2;
}
