import { expect, test } from "vitest";
import { KernelPool, tooLong } from "./pool";

test("a task is over its limit by the processor time it used; a machine busy with other things only makes it wait", () => {
  expect(tooLong(900, 900, 1000)).toBe(false);
  expect(tooLong(1500, 1200, 1000)).toBe(true);
  expect(tooLong(4000, 300, 1000)).toBe(false);
  // What neither works nor ends is ended all the same.
  expect(tooLong(6100, 0, 1000)).toBe(true);
  // Where processor time cannot be read, the clock counts.
  expect(tooLong(1100, Number.POSITIVE_INFINITY, 1000)).toBe(true);
});

test("a file that takes too long is stopped with a sentence that says what to do, and the next one is read", async () => {
  const pool = new KernelPool({ processes: 0, light: 1, timeMs: 700 });
  const cell = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\n";
  try {
    await expect(pool.read(new TextEncoder().encode(cell.repeat(1_000_000)), "large.obj", () => {})).rejects.toThrow(
      /took longer than .* Split the assembly/,
    );
    const { assembly } = await pool.read(new TextEncoder().encode(cell), "small.obj", () => {});
    expect(assembly.nodes.some((n) => n.kind === "part")).toBe(true);
  } finally {
    pool.close();
  }
});
