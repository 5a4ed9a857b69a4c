import { expect, test } from "vitest";
import { ACTS, siteOf } from "../../../tests/support/acts";
import { runCommand } from "../edit/history";
import { compile } from "../program/compile";
import { Refusal } from "../text/refusal";
import { CHECKS } from "./checks";
import { ProofMemory, prove } from "./proof";
import { Shapes } from "./shapes";

/** All but those that take long. */
const ONLY = CHECKS.map((c) => c.id).filter((id) => id !== "strobe" && id !== "contact");

test.each([2, 5])("after acts on film %i, one upon the other, what is remembered is what is found anew", (seed) => {
  const c = siteOf(seed);
  const shapes = new Shapes(c.index, c.geometries);
  const memory = new ProofMemory();
  const look = (s: typeof c.s, name: string) => {
    const program = compile(c.index, c.preparation, s);
    expect(prove(program, { only: ONLY, shapes, memory }), name).toEqual(prove(program, { only: ONLY, shapes }));
  };
  look(c.s, "as made up");
  let done = 0;
  for (const [i, [name, act]] of Object.entries(ACTS).entries()) {
    if (i % 3 !== seed % 3) continue;
    try {
      look(runCommand(c.s, act(c)).document, name);
      done++;
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
    }
    // And back: what was remembered of it first may have been let go.
    if (i % 9 === 0) look(c.s, `${name}, undone`);
  }
  expect(done).toBeGreaterThan(12);
});
