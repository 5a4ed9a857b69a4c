import type { Player } from "../player";

/** How far a pointer moves before it is no click, px. */
const SLOP = 6;

/**
 * Looking around with pointer and touch: one finger or button turns, two or Shift shift, wheel and pinch zoom. Names
 * what is pointed at.
 */
export function lookAround(
  canvas: HTMLCanvasElement,
  player: Player,
  { named, tapped }: { named(node: number): void; tapped(node: number): void },
): void {
  const held = new Map<number, { x: number; y: number }>();
  let moved = 0;
  let pointing = 0;
  const place = (e: PointerEvent) => {
    const r = canvas.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };
  canvas.addEventListener("pointerdown", (e) => {
    canvas.setPointerCapture(e.pointerId);
    held.set(e.pointerId, place(e));
    moved = 0;
  });
  canvas.addEventListener("pointermove", (e) => {
    const at = place(e);
    const was = held.get(e.pointerId);
    if (!was) {
      cancelAnimationFrame(pointing);
      pointing = requestAnimationFrame(() => {
        const node = player.playing ? -1 : player.partAt(at.x, at.y);
        player.hover(node);
        named(node);
      });
      return;
    }
    const [dx, dy] = [at.x - was.x, at.y - was.y];
    moved += Math.hypot(dx, dy);
    if (moved < SLOP) return;
    const other = [...held].find(([id]) => id !== e.pointerId)?.[1];
    held.set(e.pointerId, at);
    if (!other) {
      if (e.shiftKey || e.buttons === 2) player.pan(dx, dy);
      else player.orbit(dx, dy);
      return;
    }
    const [before, after] = [was, at].map((p) => Math.hypot(p.x - other.x, p.y - other.y)) as [number, number];
    if (before > 0 && after > 0) player.zoom(before / after);
    player.pan(dx / 2, dy / 2);
  });
  const up = (e: PointerEvent) => {
    const was = held.get(e.pointerId);
    held.delete(e.pointerId);
    // Touch has nothing that hovers: a tap names the part.
    if (!was || moved >= SLOP) return;
    const node = player.partAt(was.x, was.y);
    player.hover(node);
    tapped(node);
  };
  canvas.addEventListener("pointerup", up);
  canvas.addEventListener("pointercancel", (e) => held.delete(e.pointerId));
  canvas.addEventListener("pointerleave", () => {
    player.hover(-1);
    named(-1);
  });
  canvas.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      player.zoom(Math.exp(e.deltaY * 0.0015));
    },
    { passive: false },
  );
  canvas.addEventListener("contextmenu", (e) => e.preventDefault());
}
