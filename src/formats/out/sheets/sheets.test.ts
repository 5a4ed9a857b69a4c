import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { FOOTER, MARGIN, pageGrid, pageSize, type SheetsSettings, sheets } from "../../../core/outputs/sheets";
import { held } from "../../../core/sheets/letters";
import type { SheetPicture } from "../../../core/sheets/picture";
import type { DrawnPicture, DrawnStep, SheetDocument } from "./document";
import { LETTER_SETS, LETTER_WEIGHTS, letterFile, runsOf } from "./fonts";
import { sheetsHtml } from "./html";
import { layOut, type Page } from "./layout";
import { sheetsPdf } from "./pdf";
import { fontOfWoff } from "./woff";

const FILES = "node_modules/@fontsource/ibm-plex-sans/files";
const fontFile = (ending: "woff" | "woff2") => async (set: (typeof LETTER_SETS)[number], weight: number) =>
  new Uint8Array(readFileSync(`${FILES}/${letterFile(set, weight, ending)}`));

const drawing = (high = 562.5): SheetPicture => ({
  ...{ high, without: 0, dashes: [Float64Array.of(10, 10, 60, 60)] },
  strokes: [{ outline: true, acts: true, faint: false, lines: [Float64Array.of(100, 100, 500, 100, 500, 400)] }],
  arrows: [{ points: Float64Array.of(200, 300, 200, 150), both: false, of: "slide", body: undefined as never }],
  notes: [{ text: "<b>Seal</b>", x: 300, y: 300, left: 350, top: 250, width: 120, height: 40, size: 20 }],
});
const picture = (word: DrawnPicture["word"], high?: number): DrawnPicture => ({
  ticks: 0,
  word,
  jpeg: null,
  drawing: drawing(high),
});

function stepOf(number: number, more: Partial<DrawnStep> = {}): DrawnStep {
  return {
    ...{ id: `s${number}`, at: number - 1, number, title: `Title ${number}`, caption: `Caption ${number}.`, note: "" },
    ...{ parts: [{ name: "Screw", quantity: 4 }], tools: ["Hex key 4 mm"], torque: ["2.5 Nm"], moments: [] },
    pictures: [picture("Before"), picture("After")],
    ...more,
  };
}

function documentOf(steps: DrawnStep[], settings: Partial<SheetsSettings> = {}): SheetDocument {
  const s = { ...sheets.defaults(undefined as never), notes: true, ...settings };
  return {
    title: "Fit a fresh cartridge",
    about: "3 steps",
    date: "30 November 2026",
    settings: s,
    steps,
    cover: s.cover ? picture("") : null,
  };
}

/** Half an em a letter: coarse, but the same for both sides of a comparison. */
const measure = (text: string, size: number) => text.length * size * 0.52;
const wordsOf = (pages: readonly Page[]) =>
  pages.flatMap((p) => p.items.flatMap((i) => (i.kind === "text" && i.role !== "foot" ? [i.text] : []))).join(" ");
const words = (n: number, name: string) => Array.from({ length: n }, (_, i) => `${name}${i}`).join(" ");

describe("pages", () => {
  test("hold everything, once, within their margins, whatever the paper, the grid and the texts", () => {
    fc.assert(
      fc.property(
        fc.record({
          paper: fc.constantFrom("a4" as const, "letter" as const),
          hold: fc.constantFrom("upright" as const, "lying" as const),
          perPage: fc.integer({ min: 1, max: 6 }),
          lengths: fc.array(
            fc.tuple(
              fc.integer({ min: 0, max: 160 }),
              fc.integer({ min: 0, max: 400 }),
              fc.integer({ min: 1, max: 2 }),
            ),
            { minLength: 1, maxLength: 7 },
          ),
          high: fc.constantFrom(562.5, 1000, 1778, 420),
        }),
        ({ lengths, high, ...settings }) => {
          const steps = lengths.map(([caption, note, pictures], i) =>
            stepOf(i + 1, {
              caption: words(caption, `c${i}-`),
              note: words(note, `n${i}-`),
              pictures: (pictures === 1 ? ([""] as const) : (["Before", "After"] as const)).map((w) =>
                picture(w, high),
              ),
            }),
          );
          const pages = layOut(documentOf(steps, settings), measure);
          const { width, height } = pageSize(settings);
          const { rows, columns } = pageGrid(settings);
          for (const page of pages) {
            expect(page.items.filter((i) => i.kind === "picture").length).toBeLessThanOrEqual(rows * columns);
            const taken: { x: number; y: number; right: number; bottom: number }[] = [];
            for (const item of page.items) {
              expect(item.x).toBeGreaterThanOrEqual(MARGIN - 0.01);
              expect(item.x + item.width).toBeLessThanOrEqual(width - MARGIN + 0.01);
              const bottom = item.y + (item.kind === "picture" ? item.height : item.kind === "text" ? item.size : 0);
              const foot = item.kind === "text" && item.role === "foot";
              expect(bottom).toBeLessThanOrEqual(foot ? height - 20 : height - MARGIN - FOOTER + 0.01);
              if (item.kind === "rule" || foot) continue;
              const box = { x: item.x, y: item.y, right: item.x + item.width, bottom };
              // Nothing lies on anything else.
              for (const other of taken)
                expect(
                  box.x < other.right - 0.01 &&
                    other.x < box.right - 0.01 &&
                    box.y < other.bottom - 0.01 &&
                    other.y < box.bottom - 0.01,
                ).toBe(false);
              taken.push(box);
            }
          }
          const said = ` ${wordsOf(pages)} `;
          for (const step of steps)
            for (const word of `${step.caption} ${step.note}`.split(" ").filter(Boolean))
              expect(said.split(` ${word} `)).toHaveLength(2);
          // A picture keeps its shape.
          for (const page of pages)
            for (const item of page.items)
              if (item.kind === "picture")
                expect(item.height / item.width).toBeCloseTo(item.picture.drawing.high / 1000, 6);
        },
      ),
      { numRuns: 60, seed: 3 },
    );
  });

  test("the contents name the page that each step is on, over several pages of contents too", () => {
    const steps = Array.from({ length: 90 }, (_, i) => stepOf(i + 1, { title: `T${i + 1}` }));
    const pages = layOut(documentOf(steps), measure);
    for (const page of pages)
      page.items.forEach((item, i) => {
        if (item.kind !== "text" || item.role !== "entry" || !item.text.startsWith("T")) return;
        const number = page.items[i + 1];
        const on = pages.findIndex((p) => p.places.some((at) => at.name === item.to));
        expect(number?.kind === "text" && number.text).toBe(String(on + 1));
      });
    expect(pages.flatMap((p) => p.places)).toHaveLength(90);
    expect(pages[0]?.items.some((i) => i.kind === "text" && i.role === "foot")).toBe(false);
  });

  test("two pictures of a step stand side by side or below one another; one page each where there is room for one", () => {
    const at = (settings: Partial<SheetsSettings>) =>
      layOut(documentOf([stepOf(1)], { cover: false, contents: false, ...settings }), measure).map((p) =>
        p.items.flatMap((i) => (i.kind === "picture" ? [[Math.round(i.x), Math.round(i.y)]] : [])),
      );
    const [two] = at({ perPage: 2 });
    expect(two?.[0]?.[0]).toBe(two?.[1]?.[0]);
    expect(two?.[1]?.[1]).toBeGreaterThan(two?.[0]?.[1] as number);
    const [four] = at({ perPage: 4 });
    expect(four?.[0]?.[1]).toBe(four?.[1]?.[1]);
    expect(at({ perPage: 1 }).map((p) => p.length)).toEqual([1, 1]);
  });
});

describe("fonts", () => {
  test("the letters that are said to be held are those that the fonts have", async () => {
    const { default: PDFDocument } = await import("pdfkit");
    for (const weight of LETTER_WEIGHTS) {
      const has = new Set<number>();
      for (const set of LETTER_SETS) {
        const doc = new PDFDocument({ autoFirstPage: false, font: "" });
        doc.registerFont(set, fontOfWoff((await fontFile("woff")(set, weight)) as Uint8Array) as never);
        doc.font(set);
        for (const code of (doc as unknown as { _font: { font: { characterSet: number[] } } })._font.font.characterSet)
          has.add(code);
      }
      for (let code = 32; code < 0x10000; code++)
        if (held(code) !== has.has(code)) expect([weight, code.toString(16), held(code)]).toBe(has.has(code));
    }
  });

  test("what is no font, or cut short, is refused; a text goes in runs to the part that holds it", async () => {
    expect(() => fontOfWoff(new Uint8Array(80))).toThrow(/not a WOFF/);
    const bytes = (await fontFile("woff")("latin", 400)) as Uint8Array;
    expect(() => fontOfWoff(bytes.subarray(0, 4000))).toThrow(/cut short/);
    const has = (set: string, code: number) =>
      set === "latin" ? code < 0x100 : set === "greek" ? code >= 0x370 && code < 0x400 : false;
    expect(runsOf("Ab Γρ 1螺", has)).toEqual([
      { set: "latin", text: "Ab " },
      { set: "greek", text: "Γρ" },
      { set: "latin", text: " 1螺" },
    ]);
  });
});

describe("as files", () => {
  const nasty = '</title><script>alert("x")</script>';

  test("the HTML has everything as text, runs nothing and may load nothing", async () => {
    const steps = [
      stepOf(1, { title: nasty, caption: "a & b\nc", note: nasty, parts: [{ name: nasty, quantity: 2 }] }),
      stepOf(2),
    ];
    const html = await sheetsHtml({ ...documentOf(steps, { revision: 'C"<x>' }), title: nasty }, fontFile("woff2"));
    expect(html).not.toMatch(/<script/i);
    expect(html).toContain("default-src 'none'");
    expect(
      html.split(
        /<(?!\/?(html|head|meta|title|style|body|header|h1|h2|p|br|nav|ol|li|a|main|article|span|div|figure|figcaption|svg|path|circle|rect|text|dl|dt|dd|!doctype)\b)/i,
      ).length,
    ).toBe(1);
    for (const said of [
      "&lt;/title&gt;&lt;script&gt;",
      "a &amp; b<br>c",
      "2 × &lt;/title&gt;",
      "Hex key 4 mm",
      'href="#step-2"',
      'id="step-2"',
    ])
      expect(html).toContain(said);
    // One stroke of arrows for each picture but the cover's, with its edge of paper.
    expect(html.match(/class="arrow"/g)).toHaveLength(5);
  });

  test("a PDF of a document without captions, with one of a thousand letters, and with letters that no font has", async () => {
    const steps = [
      stepOf(1, { caption: "", parts: [], tools: [], torque: [] }),
      stepOf(2, { caption: words(200, "w").slice(0, 1000) }),
      stepOf(3, { title: "螺丝 Łódź", caption: "Γρανάζι" }),
    ];
    const told: number[] = [];
    const { bytes, pages } = await sheetsPdf(documentOf(steps), fontFile("woff"), (page) => told.push(page));
    expect(new TextDecoder("latin1").decode(bytes.subarray(0, 8))).toBe("%PDF-1.7");
    expect(told).toEqual(Array.from({ length: pages }, (_, i) => i + 1));
    // What a screen reader is told things are: titles of the cover and of the contents, a heading for each step, each picture.
    const text = new TextDecoder("latin1").decode(bytes);
    const roles = (role: string) => text.split(new RegExp(`/S /${role}\\b`)).length - 1;
    expect([roles("H1"), roles("Figure")]).toEqual([2, 7]);
    expect(roles("H2")).toBe(3);
    expect(roles("P")).toBeGreaterThan(5);
    await expect(sheetsPdf(documentOf(steps), async () => null)).rejects.toThrow(/font of the sheets/);
  });
});
