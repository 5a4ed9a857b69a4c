import fc from "fast-check";
import { afterAll } from "vitest";

/** What of a desk keeps it saving; leaving the page ends that elsewhere. */
interface Made {
  documents: { dispose(): void; saver: { timer: ReturnType<typeof setTimeout> | null } };
}

// Desks that nobody has ended, see desk.ts: test files of one worker share their modules, and a desk that goes on saving
// would be heard by the tests of the next file.
afterAll(() => {
  const { plextanTestDesks: made } = globalThis as { plextanTestDesks?: Set<Made> };
  for (const { documents } of made ?? []) {
    documents.dispose();
    clearTimeout(documents.saver.timer ?? undefined);
  }
  made?.clear();
});

/**
 * Set-up of the property tests. They run with the same made-up inputs every time, so that a result speaks of the code
 * and not of luck. `PLEXTAN_SEARCH=30` looks further: other inputs each time, and so many times more of them wherever
 * a test does not say how many it wants.
 */
const search = Number(process.env.PLEXTAN_SEARCH ?? 0);
fc.configureGlobal(search > 0 ? { numRuns: 100 * search } : { seed: 20_261_126 });
