import { nth } from "../math/packed";

/** Ends nearer than this are one, in units of the drawing. */
const JOIN = 0.06;
/** How far a point may lie beside the line that takes its place. */
const STRAIGHT = 0.05;

/**
 * Joins segments into as few lines as there are: from each loose end, and then round what is closed, always on into the
 * segment that bends least.
 * @param segments x y x y
 * @returns lines as x y x y …, without points that lie on a straight line between their neighbours
 */
export function chained(segments: ArrayLike<number>): Float64Array[] {
  const count = Math.floor(segments.length / 4);
  const ends = new Map<string, number[]>();
  const name = (o: number) => `${Math.round(nth(segments, o) / JOIN)} ${Math.round(nth(segments, o + 1) / JOIN)}`;
  const names = Array.from({ length: 2 * count }, (_, e) => name(2 * e));
  names.forEach((at, e) => {
    const list = ends.get(at);
    if (list) list.push(e);
    else ends.set(at, [e]);
  });
  const used = new Uint8Array(count);
  const out: Float64Array[] = [];
  const follow = (first: number) => {
    // An end is number 2 s or 2 s + 1 of segment s; the line leaves through its other end.
    const line: number[] = [nth(segments, 2 * first), nth(segments, 2 * first + 1)];
    let e = first;
    for (;;) {
      const s = e >> 1;
      used[s] = 1;
      const other = e ^ 1;
      const [x, y] = [nth(segments, 2 * other), nth(segments, 2 * other + 1)];
      const dx = x - nth(segments, 2 * e);
      const dy = y - nth(segments, 2 * e + 1);
      line.push(x, y);
      let best = -1;
      let straightest = -0.2;
      for (const next of ends.get(names[other] as string) ?? []) {
        if (used[next >> 1]) continue;
        const to = next ^ 1;
        const nx = nth(segments, 2 * to) - x;
        const ny = nth(segments, 2 * to + 1) - y;
        const cos = (dx * nx + dy * ny) / (Math.hypot(dx, dy) * Math.hypot(nx, ny) || 1);
        if (cos <= straightest) continue;
        straightest = cos;
        best = next;
      }
      if (best < 0) break;
      e = best;
    }
    out.push(straightened(line));
  };
  for (let e = 0; e < 2 * count; e++) if (!used[e >> 1] && (ends.get(names[e] as string)?.length ?? 0) === 1) follow(e);
  for (let e = 0; e < 2 * count; e += 2) if (!used[e >> 1]) follow(e);
  return out;
}

/** Leaves out points that lie within a hair of the line between those that are kept. */
function straightened(line: readonly number[]): Float64Array {
  const out = [nth(line, 0), nth(line, 1)];
  let from = 0;
  for (let i = 2; i + 3 < line.length; i += 2) {
    const [ax, ay] = [nth(line, from), nth(line, from + 1)];
    const [bx, by] = [nth(line, i + 2), nth(line, i + 3)];
    const long = Math.hypot(bx - ax, by - ay);
    let off = false;
    // Every point since the last that was kept has to lie on the new line, or a slow bend would be lost.
    for (let k = from + 2; k <= i && !off; k += 2) {
      const [px, py] = [nth(line, k) - ax, nth(line, k + 1) - ay];
      const along = (px * (bx - ax) + py * (by - ay)) / (long || 1);
      off =
        long === 0 ||
        along < -STRAIGHT ||
        along > long + STRAIGHT ||
        Math.abs(px * (by - ay) - py * (bx - ax)) > STRAIGHT * long;
    }
    if (!off) continue;
    out.push(nth(line, i), nth(line, i + 1));
    from = i;
  }
  out.push(nth(line, line.length - 2), nth(line, line.length - 1));
  return Float64Array.from(out);
}

/** Length of a line, in its own units. */
export function lineLength(line: ArrayLike<number>): number {
  let sum = 0;
  for (let i = 2; i + 1 < line.length; i += 2)
    sum += Math.hypot(nth(line, i) - nth(line, i - 2), nth(line, i + 1) - nth(line, i - 1));
  return sum;
}
