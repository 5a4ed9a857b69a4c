import { expect, test } from "vitest";
import { madeUpFilm } from "../../../../tests/support/films";
import { told } from "../../../../tests/support/recorded";
import { plainMeasure } from "../../../core/captions/layout";
import { type SheetsSettings, sheets } from "../../../core/outputs/sheets";
import { compile } from "../../../core/program/compile";
import type { Program } from "../../../core/program/program";
import { sheetSteps } from "../../../core/sheets/content";
import { SheetDrawer, type SheetPicture } from "../../../core/sheets/picture";
import type { DrawnPicture, SheetDocument } from "./document";
import { layOut } from "./layout";

/** A film as it is drawn; each picture is drawn once. */
const films = new Map<number, { program: Program; drawn: (at: number, ticks: number) => SheetPicture }>();
function filmOf(seed: number) {
  const known = films.get(seed);
  if (known) return known;
  const { index, geometries, preparation, sequence } = madeUpFilm(seed);
  const program = compile(index, preparation, sequence);
  const what = { lines: false, arrows: true, measure: plainMeasure };
  const drawer = new SheetDrawer(program, geometries, { nodes: {} }, what);
  const pictures = new Map<string, SheetPicture>();
  const drawn = (at: number, ticks: number) => {
    const name = `${at} ${ticks}`;
    const it = pictures.get(name) ?? drawer.draw(at, ticks);
    pictures.set(name, it);
    return it;
  };
  films.set(seed, { program, drawn });
  return { program, drawn };
}

/** The sheets of a film without their lines, which are recorded elsewhere. */
function documentOf(seed: number, settings: Partial<SheetsSettings>): SheetDocument {
  const { program, drawn } = filmOf(seed);
  const s = { ...sheets.defaults(undefined as never), ...settings };
  const pictures = (at: number, moments: DrawnPicture[]) =>
    moments.map((m): DrawnPicture => ({ ...m, jpeg: null, drawing: drawn(at, m.ticks) }));
  const steps = sheetSteps(program, { from: 0, to: program.steps.length }, s.moments).map((step) => ({
    ...step,
    pictures: pictures(step.at, step.moments as DrawnPicture[]),
  }));
  return {
    ...{ title: "Fit the cartridge", about: `${steps.length} steps`, date: "1 December 2026", settings: s, steps },
    cover: s.cover ? (steps[0]?.pictures[0] ?? null) : null,
  };
}

/** Letters of unlike widths, as in a real face. */
const measure = (text: string, size: number, bold: boolean) =>
  [...text].reduce((sum, c) => sum + ("il.,;: ".includes(c) ? 0.28 : "mwMW".includes(c) ? 0.86 : 0.53), 0) *
  size *
  (bold ? 1.06 : 1);

test.each<[string, Partial<SheetsSettings>]>([
  ["as usual", {}],
  ["one a page, lying, Letter, with notes", { perPage: 1, hold: "lying", paper: "letter", notes: true, revision: "C" }],
  ["two a page, without cover", { perPage: 2, cover: false, notes: true }],
  ["four a page, lying, one moment", { perPage: 4, hold: "lying", moments: "after", contents: false }],
  ["six a page without facts", { perPage: 6, parts: false, tools: false, cover: false, contents: false }],
])("pages %s are laid out as recorded", async (name, settings) => {
  const lines: string[] = [];
  for (const seed of [1, 4]) {
    const d = documentOf(seed, settings);
    // One step with more words than its place holds.
    const long = d.steps[1];
    if (long) long.caption = Array.from({ length: 900 }, (_, i) => `word${i}`).join(" ");
    for (const [i, page] of layOut(d, measure).entries()) {
      lines.push(`== ${seed}, page ${i + 1} ${page.places.map((p) => told(p)).join(" ")}`);
      for (const item of page.items)
        lines.push(
          item.kind === "picture"
            ? told({ ...item, picture: `${item.picture.word}@${item.picture.ticks}` })
            : told(item),
        );
    }
  }
  await expect(lines.join("\n")).toMatchFileSnapshot(`record-${name.replace(/\W+/g, "-")}.txt`);
});
