import type { AssemblyIndex } from "../assembly/assembly";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { type Made, type Piece, type PieceContext, type PosedParts, STEADY } from "./kind";

export const AIM = ["aim.x", "aim.y", "aim.z"] as const;
/** A channel led to a value over a move. */
export const plain = (c: string, move: Pick<Made, "start" | "length" | "ease">, to: number): Piece => ({
  channel: c,
  t0: move.start,
  t1: move.start + move.length,
  ease: move.ease,
  to,
});

/** Calls `take` with the corners of every part's box under nodes, as posed. */
export function eachCorner(
  index: AssemblyIndex,
  pose: PosedParts,
  nodes: readonly number[],
  take: (x: number, y: number, z: number) => void,
): void {
  for (const root of nodes) {
    for (let i = root; i < nth(index.end, root); i++) {
      const g = index.assembly.geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (!g || !pose.visible[i]) continue;
      for (let corner = 0; corner < 8; corner++) {
        const p = transformPoint(
          pose.world,
          [
            (corner & 1 ? g.bounds.max : g.bounds.min)[0],
            (corner & 2 ? g.bounds.max : g.bounds.min)[1],
            (corner & 4 ? g.bounds.max : g.bounds.min)[2],
          ],
          16 * i,
        );
        take(p[0], p[1], p[2]);
      }
    }
  }
}

/** Pieces that lead the aim through places worked out for each frame; `u` is the eased share of the move. */
export const aimByFrame = (move: Made, c: PieceContext, place: (u: number, t: number) => readonly number[]) =>
  byFrame(AIM, move, c, place);

/** Pieces that lead channels through values worked out for each frame. */
export function byFrame(
  channels: readonly string[],
  move: Made,
  c: PieceContext,
  place: (u: number, t: number) => readonly number[],
): Piece[] {
  const frames = Math.max(1, Math.ceil(move.length / c.frame - 1e-9));
  const out: Piece[] = [];
  for (let f = 1; f <= frames; f++) {
    const t0 = move.start + (f - 1) * c.frame;
    const t1 = Math.min(move.start + move.length, move.start + f * c.frame);
    const at = place(c.eased(move.ease, (t1 - move.start) / (move.length || 1)), t1);
    for (const [k, channel] of channels.entries()) out.push({ channel, t0, t1, ease: STEADY, to: nth(at, k) });
  }
  return out;
}
