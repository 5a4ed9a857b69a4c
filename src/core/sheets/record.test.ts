import { expect, test } from "vitest";
import { madeUpFilm } from "../../../tests/support/films";
import { short, told } from "../../../tests/support/recorded";
import { plainMeasure } from "../captions/layout";
import { lineLength } from "../drawing/chains";
import { compile } from "../program/compile";
import { SHEET_MOMENTS, sheetSteps } from "./content";
import { SheetDrawer } from "./picture";

const FILMS = 4;

test("what sheets say and draw of films made up by chance is as recorded", async () => {
  const lines: string[] = [];
  for (let seed = 1; seed <= FILMS; seed++) {
    const { index, geometries, preparation, sequence } = madeUpFilm(seed);
    const program = compile(index, preparation, sequence);
    lines.push(`== ${seed}`);
    for (const moments of SHEET_MOMENTS)
      for (const s of sheetSteps(program, { from: 0, to: program.steps.length }, moments))
        lines.push(
          `${moments} ${s.number} ${s.moments.map((m) => `${m.word}@${m.ticks}`)}`,
          ...(moments === "both" ? [told({ ...s, moments: undefined })] : []),
        );
    const drawer = new SheetDrawer(
      program,
      geometries,
      { nodes: {} },
      { lines: true, arrows: true, measure: plainMeasure },
    );
    for (const s of sheetSteps(program, { from: 0, to: program.steps.length }, "both"))
      for (const m of s.moments) {
        const p = drawer.draw(s.at, m.ticks);
        lines.push(
          `-- ${s.number} ${m.word} ${p.high} without ${p.without}`,
          ...p.arrows.map((a) => `arrow ${a.of}${a.both ? " both" : ""} ${Array.from(a.points, short).join(" ")}`),
          ...(p.strokes ?? []).map(
            (k) =>
              `strokes ${k.outline ? "outline" : "edge"}${k.acts ? " acts" : ""}${k.faint ? " faint" : ""} ${k.lines.length} ${short(k.lines.reduce((sum, l) => sum + lineLength(l), 0))}`,
          ),
          ...p.dashes.map((d) => `dash ${Array.from(d, short).join(" ")}`),
          ...p.notes.map((n) => `note ${told(n)}`),
        );
      }
  }
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});
