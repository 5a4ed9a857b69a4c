import { expect, test } from "vitest";
import { clusterTorture } from "./torture";

/** A short run takes part in every test run; `bin/test --cluster` makes it as long as it is meant. */
const long = process.env.PLEXTAN_CLUSTER === "long";

test("nodes and apps are killed and frozen under editors: every acknowledged edit is on every node exactly once, every import once, and all go on", async () => {
  const r = await clusterTorture({
    editors: long ? 50 : 10,
    seed: Number(process.env.PLEXTAN_SEED ?? 3),
    freezeMs: long ? 20_000 : 4000,
    rounds: long ? 2 : 1,
    importEveryMs: long ? 500 : 2000,
    looks: long ? 300 : 120,
    log: (line) => console.log(line),
  });
  console.log(
    `${r.editors} editors, ${r.acknowledged} edits acknowledged, ${r.jobs} imports, ${r.again} requests sent again`,
  );
  expect(r).toMatchObject({ crowded: 0, stale: 0, lost: [], doubled: [], apart: [], odd: [] });
  expect(r.acknowledged).toBeGreaterThan(long ? 2000 : 150);
  expect(r.jobs).toBeGreaterThan(3);
  // In a run of all tests the machine does much else meanwhile: how long it takes is judged where it is alone.
  for (const blow of r.blows) expect(blow.longestMs, blow.what).toBeLessThan(long ? 5000 : 20_000);
  // The long run alone takes minutes.
}, 900_000);
