import { expect, test } from "vitest";
import { ACTS, siteOf } from "../../../tests/support/acts";
import { hashOfDocument, short } from "../../../tests/support/recorded";
import { targetId } from "../document/keys";
import { parseDocument } from "../document/parse";
import { compile } from "../program/compile";
import { Refusal } from "../text/refusal";
import { applyHistory, runCommand } from "./history";

test("every act on films made up by chance gives a film that is valid and as recorded, and undo takes it back", async () => {
  const lines: string[] = [];
  let done = 0;
  for (let seed = 1; seed <= 8; seed++) {
    const c = siteOf(seed);
    lines.push(`== ${seed} ${targetId(c.hand.target)} ${c.channel}`);
    for (const [name, act] of Object.entries(ACTS)) {
      try {
        const { document, inverse } = runCommand(c.s, act(c));
        expect(parseDocument("sequence", document), name).toEqual(document);
        expect(applyHistory(document, inverse), name).toEqual(c.s);
        const { steps } = compile(c.index, c.preparation, document);
        lines.push(`${name}: ${hashOfDocument(document)} ${steps.ids.length} steps, ${short(steps.length)}`);
        if (document !== c.s) done++;
      } catch (error) {
        if (!(error instanceof Refusal)) throw new Error(`${name}, film ${seed}`, { cause: error });
        lines.push(`${name}: ${error.message}`);
      }
    }
  }
  // Most can be done to most films: what is refused everywhere tests nothing.
  expect(done).toBeGreaterThan(0.7 * 8 * Object.keys(ACTS).length);
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});
