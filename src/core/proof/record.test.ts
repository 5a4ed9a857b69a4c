import { expect, test } from "vitest";
import { madeUpFilm } from "../../../tests/support/films";
import { hashOfDocument, told } from "../../../tests/support/recorded";
import type { Target } from "../document/sequence";
import { runCommand } from "../edit/history";
import { compile } from "../program/compile";
import type { Program } from "../program/program";
import { findingText } from "../text/findings";
import { Refusal } from "../text/refusal";
import type { Finding } from "./check";
import { CHECKS, checkOf } from "./checks";
import { type Chosen, prove } from "./proof";
import { Shapes } from "./shapes";

const FILMS = 10;

/** Every threshold at one end of what may be chosen. */
const all = (end: "min" | "max"): Chosen =>
  Object.fromEntries(
    CHECKS.map((c) => [c.id, Object.fromEntries(Object.entries(c.thresholds).map(([name, t]) => [name, t[end]]))]),
  );

const nameOf = (t: Target) => ("key" in t ? t.key : "id" in t ? t.id : t.type);

const line = (f: Finding) =>
  [
    `${f.step} ${f.check}/${f.what} ${f.severity} ${f.from}–${f.to}${f.at === undefined ? "" : ` @${f.at}`}`,
    f.targets.map(nameOf).join("+"),
    f.channel ?? "",
    f.named ?? "",
    Object.entries(f.numbers)
      .map(([name, q]) => `${name}=${told(q.value)}${q.unit}`)
      .join(" "),
    f.place ? told(f.place) : "",
    `(${f.mends.join(" ")})`,
  ]
    .filter(Boolean)
    .join(" · ");

/** What a mend makes of the film, as a hash, for the words of it would be too many; or why it was refused. */
function mended(program: Program, f: Finding, name: string): string {
  const make = checkOf(f.check)?.mends[name]?.command;
  if (!make) return `  ${name}: by hand`;
  try {
    const { document } = runCommand(program.sequence, make({ program, thresholds: {} }, f));
    return `  ${name}: ${hashOfDocument(document)}`;
  } catch (error) {
    if (error instanceof Refusal) return `  ${name}: ${error.message}`;
    throw error;
  }
}

test.each([
  ["usual", {}],
  ["strict", all("min")],
  ["lenient", all("max")],
])("what is found in films made up by chance is as recorded, with thresholds that are %s", async (name, chosen) => {
  const lines: string[] = [];
  for (let seed = 1; seed <= FILMS; seed += name === "usual" ? 1 : 3) {
    const { index, geometries, preparation, sequence } = madeUpFilm(seed);
    const program = compile(index, preparation, sequence);
    const { findings, unjudged } = prove(program, { chosen, shapes: new Shapes(index, geometries) });
    lines.push(`== ${seed}`, ...unjudged.map(told));
    for (const f of findings) {
      expect(findingText(f, nameOf).length, f.what).toBeGreaterThan(10);
      lines.push(line(f), ...f.mends.map((m) => mended(program, f, m)));
    }
  }
  await expect(lines.join("\n")).toMatchFileSnapshot(`record-${name}.txt`);
});
