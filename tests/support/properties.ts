import fc from "fast-check";

/**
 * Set-up of the property tests. They run with the same made-up inputs every time, so that a result speaks of the code
 * and not of luck. `PLEXTAN_SEARCH=30` looks further: other inputs each time, and so many times more of them wherever
 * a test does not say how many it wants.
 */
const search = Number(process.env.PLEXTAN_SEARCH ?? 0);
fc.configureGlobal(search > 0 ? { numRuns: 100 * search } : { seed: 20_261_126 });
