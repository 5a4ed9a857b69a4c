/** How often progress is told, ms: more often nobody sees, and a flood of it keeps a page busy that has to show it. */
const EVERY_MS = 60;

/** Tells no more often than can be seen; what comes in between is left out. For shares and the like, not for results. */
export function paced<A extends unknown[]>(
  tell: (...told: A) => void,
  now = () => performance.now(),
): (...told: A) => void {
  let last = Number.NEGATIVE_INFINITY;
  return (...told) => {
    const at = now();
    if (at - last < EVERY_MS) return;
    last = at;
    tell(...told);
  };
}
