import { afterAll, beforeAll, expect, test } from "vitest";
import { damagedFiles, wholeFiles } from "../../src/cli/measure/damaged";
import { KernelPool } from "../../src/server/kernel/pool";

let kernels: KernelPool;
beforeAll(() => {
  kernels = new KernelPool({ processes: 1, timeMs: 60_000 });
});
afterAll(() => kernels.close());

test("damaged files of every format: no reader dies, none hangs, nothing is lost without a word, and every refusal is a sentence", async () => {
  const r = await damagedFiles(70, 11, await wholeFiles(kernels, true), kernels);
  expect(r).toMatchObject({ crashes: [], hangs: [], silent: [], unclear: [] });
  expect(r.read).toBeGreaterThan(10);
  expect(r.refused).toBeGreaterThan(20);
}, 600_000);
