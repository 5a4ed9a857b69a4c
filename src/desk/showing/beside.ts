import type { Target } from "../../core/document/sequence";
import type { Desk } from "../port";

/** A rectangle on the page, CSS pixels. */
export interface Rect {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

const overlap = (a: Rect, b: Rect): number =>
  Math.max(0, Math.min(a.right, b.right) - Math.max(a.left, b.left)) *
  Math.max(0, Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top));

/**
 * Where something of a size is put beside what is looked at, within a frame: at the left or the right edge of it,
 * whichever covers less; the right one where both are as good.
 */
export function besideOf(frame: Rect, size: { width: number; height: number }, seen: Rect | null, gap = 12): Rect {
  const at = (left: number): Rect => ({
    left,
    top: frame.top,
    right: left + size.width,
    bottom: Math.min(frame.bottom, frame.top + size.height),
  });
  const [left, right] = [at(frame.left + gap), at(Math.max(frame.left + gap, frame.right - gap - size.width))];
  return seen && overlap(left, seen) < overlap(right, seen) ? left : right;
}

/** Where things are seen on the page: round the corners of their boxes as they stand now; null for nothing in sight. */
export function seenAt(desk: Desk, targets: readonly Target[]): Rect | null {
  const { view } = desk;
  if (!view) return null;
  const page = view.canvas.getBoundingClientRect();
  const out: Rect = { left: Infinity, top: Infinity, right: -Infinity, bottom: -Infinity };
  const { index } = desk;
  for (const node of targets.flatMap((t) => [...desk.program.nodesOf(t)])) {
    for (let i = node; i < (index.end[node] ?? 0); i++) {
      const g = index.assembly.geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (!g) continue;
      const { world } = view.currentPose;
      for (let corner = 0; corner < 8; corner++) {
        const p = [0, 1, 2].map((k) => (corner & (1 << k) ? g.bounds.max[k] : g.bounds.min[k]) as number);
        const [x, y, z] = [0, 1, 2].map(
          (r) =>
            (world[16 * i + r] as number) * (p[0] as number) +
            (world[16 * i + 4 + r] as number) * (p[1] as number) +
            (world[16 * i + 8 + r] as number) * (p[2] as number) +
            (world[16 * i + 12 + r] as number),
        ) as [number, number, number];
        const at = view.cameras.toScreen([x, y, z]);
        if (!at) continue;
        out.left = Math.min(out.left, page.left + at.x);
        out.right = Math.max(out.right, page.left + at.x);
        out.top = Math.min(out.top, page.top + at.y);
        out.bottom = Math.max(out.bottom, page.top + at.y);
      }
    }
  }
  return out.left <= out.right ? out : null;
}
