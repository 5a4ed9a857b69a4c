import { nth } from "../math/packed";
import { ARROW, type Arrow } from "./arrows";
import { lineLength } from "./chains";

/** An arrow as it is inked: a shaft to be stroked and tips to be filled. Units of the drawing. */
export interface ArrowShape {
  shaft: Float64Array;
  /** Triangles: x y x y x y. */
  tips: Float64Array[];
}

/** The shaft ends within its tip, so that its square end does not show before the point. */
export function arrowShape({ points, both }: Pick<Arrow, "points" | "both">): ArrowShape {
  const forward = withTip(points);
  if (!both) return { shaft: forward.shaft, tips: [forward.tip] };
  const back = withTip(turnedRound(forward.shaft), points);
  return { shaft: turnedRound(back.shaft), tips: [forward.tip, back.tip] };
}

/** @param whole the line before another tip was taken from it, where that was done */
function withTip(points: Float64Array, whole = points): { shaft: Float64Array; tip: Float64Array } {
  const n = points.length / 2;
  const [x, y] = [nth(points, 2 * n - 2), nth(points, 2 * n - 1)];
  // Back along the line by the length of the tip, less where the arrow is short.
  const long = Math.min(ARROW.tip, lineLength(whole) / (whole === points ? 2 : 2.2));
  let last = n - 1;
  while (last > 1 && Math.hypot(nth(points, 2 * last - 2) - x, nth(points, 2 * last - 1) - y) < long) last--;
  const [ax, ay] = [nth(points, 2 * last - 2), nth(points, 2 * last - 1)];
  const away = Math.hypot(x - ax, y - ay) || 1;
  const [ux, uy] = [(x - ax) / away, (y - ay) / away];
  const [bx, by] = [x - ux * long, y - uy * long];
  const half = ARROW.halfTip * (long / ARROW.tip);
  const shaft = new Float64Array(2 * last + 2);
  shaft.set(points.subarray(0, 2 * last));
  shaft.set([bx + ux * long * 0.25, by + uy * long * 0.25], 2 * last);
  return { shaft, tip: Float64Array.of(x, y, bx - uy * half, by + ux * half, bx + uy * half, by - ux * half) };
}

function turnedRound(points: Float64Array): Float64Array {
  const out = new Float64Array(points.length);
  for (let i = 0; i < points.length; i += 2) out.set(points.subarray(i, i + 2), points.length - 2 - i);
  return out;
}
