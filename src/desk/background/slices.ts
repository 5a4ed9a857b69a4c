/** A slice of work takes about so long, ms: what else the page has to do comes in between. */
const SLICE_MS = 6;

/** Does work that comes in parts, at most a slice of it at a time. The first slice begins in a task of its own. */
export async function inSlices<T>(parts: Generator<void, T>): Promise<T> {
  for (;;) {
    await new Promise((r) => setTimeout(r, 0));
    const until = performance.now() + SLICE_MS;
    do {
      const { done, value } = parts.next();
      if (done) return value;
    } while (performance.now() < until);
  }
}
