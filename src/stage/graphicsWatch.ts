/**
 * Listens to a canvas whose graphics may be reset: drivers are updated, machines wake up, and then all that the
 * graphics card held is gone. @returns what ends it
 */
export function watchGraphics(canvas: HTMLCanvasElement, told: (lost: boolean) => void): () => void {
  const hear = (e: Event) => told(e.type === "webglcontextlost");
  canvas.addEventListener("webglcontextlost", hear);
  canvas.addEventListener("webglcontextrestored", hear);
  return () => {
    canvas.removeEventListener("webglcontextlost", hear);
    canvas.removeEventListener("webglcontextrestored", hear);
  };
}
