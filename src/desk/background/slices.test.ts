import { expect, test } from "vitest";
import { inSlices } from "./slices";

test("long work lets others come in between and comes to the same", async () => {
  let others = 0;
  const other = setInterval(() => others++, 1);
  let longest = 0;
  const work = function* (): Generator<void, number> {
    let sum = 0;
    for (let i = 0; i < 20; i++) {
      const began = performance.now();
      const seen = others;
      while (performance.now() - began < 3) sum += 1e-12;
      // Nobody comes in within a part.
      longest = Math.max(longest, others - seen);
      yield;
    }
    return Math.round(sum) + 20;
  };
  expect(await inSlices(work())).toBe(20);
  clearInterval(other);
  expect(longest).toBe(0);
  expect(others).toBeGreaterThan(3);
});
