import PDFDocument from "pdfkit";
import { arrowShape } from "../../../core/drawing/arrowShape";
import { WIDE } from "../../../core/drawing/projection";
import { nth } from "../../../core/math/packed";
import { pageSize } from "../../../core/outputs/sheets";
import { settable } from "../../../core/sheets/letters";
import type { DrawnPicture, SheetDocument } from "./document";
import { LETTER_SETS, LETTER_WEIGHTS, type LetterSet, runsOf } from "./fonts";
import { INK, inkOf } from "./ink";
import { type Item, layOut, type MeasureText, type PictureItem, type TextItem } from "./layout";
import { fontOfWoff } from "./woff";

/** What of the library's font is used beside its types: whether it holds a letter. */
interface OpenFont {
  _font: { font: { hasGlyphForCodePoint(code: number): boolean } };
}
type Doc = PDFKit.PDFDocument;

/** What was written, and how much of it. */
export interface SheetsPdf {
  bytes: Uint8Array;
  pages: number;
}

/**
 * Writes step sheets as PDF 1.7: vector text in our font, its letters embedded; links from the contents, bookmarks,
 * and a structure that is read aloud in order, pictures by what they show.
 * @param fontFile a part of our font in a weight, as WOFF; null where it is not to be had
 * @param tell after each page
 */
export async function sheetsPdf(
  d: SheetDocument,
  fontFile: (set: LetterSet, weight: number) => Promise<Uint8Array | null>,
  tell: (page: number, of: number) => void = () => {},
): Promise<SheetsPdf> {
  const { width, height } = pageSize(d.settings);
  const doc: Doc = new PDFDocument({
    ...{ size: [width, height], margin: 0, autoFirstPage: false, pdfVersion: "1.7", lang: "en", tagged: true },
    // None of the library's own: they hold no accents and are not embedded.
    font: "",
    displayTitle: true,
    info: { Title: d.title, Subject: d.about, Creator: "Plextan", Producer: "Plextan" },
  });
  const pieces: Uint8Array[] = [];
  doc.on("data", (piece: Uint8Array) => pieces.push(piece));
  const ended = new Promise<void>((done, failed) => {
    doc.on("end", () => done());
    doc.on("error", failed);
  });
  const letters = new Letters(doc);
  await letters.load(fontFile);
  const pages = layOut(d, letters.measure);
  const top = doc.struct("Document");
  doc.addStructure(top);
  for (const [i, page] of pages.entries()) {
    doc.addPage();
    for (const place of page.places) {
      doc.addNamedDestination(place.name, "XYZ", 0, height - place.y + 8, 0);
      doc.outline.addItem(settable(`${place.number}  ${place.title}`));
    }
    for (const part of parted(page.items)) {
      const draw = () => {
        for (const item of part.items) drawItem(doc, letters, item);
      };
      if (part.role === null) {
        doc.markContent("Artifact", { type: part.items[0]?.kind === "text" ? "Pagination" : "Layout" });
        draw();
        doc.endMarkedContent();
      } else top.add(doc.struct(part.role, part.alt ? { alt: settable(part.alt) } : {}, draw));
    }
    tell(i + 1, pages.length);
  }
  top.end();
  doc.end();
  await ended;
  const bytes = new Uint8Array(pieces.reduce((sum, p) => sum + p.length, 0));
  let at = 0;
  for (const piece of pieces) {
    bytes.set(piece, at);
    at += piece.length;
  }
  return { bytes, pages: pages.length };
}

/** Parts of our font in a document. */
class Letters {
  private readonly has = new Map<string, (code: number) => boolean>();
  private readonly widths = new Map<string, number>();

  constructor(private readonly doc: Doc) {}

  async load(file: (set: LetterSet, weight: number) => Promise<Uint8Array | null>): Promise<void> {
    for (const weight of LETTER_WEIGHTS)
      for (const set of LETTER_SETS) {
        const bytes = await file(set, weight);
        if (!bytes) continue;
        const name = `${set} ${weight}`;
        // The library takes typed arrays; its types know only those of Node.
        this.doc.registerFont(name, fontOfWoff(bytes) as never);
        this.doc.font(name);
        const { font } = (this.doc as unknown as OpenFont)._font;
        this.has.set(name, (code) => font.hasGlyphForCodePoint(code));
      }
    if (!this.has.has("latin 400") || !this.has.has("latin 600")) throw new Error("The font of the sheets is missing.");
  }

  /** Width of a text, points. */
  readonly measure: MeasureText = (text, size, bold) => {
    const name = `${bold}${text}`;
    let per = this.widths.get(name);
    if (per === undefined) {
      per = 0;
      for (const run of this.runs(text, bold)) {
        this.use(run.set, bold).fontSize(100);
        per += this.doc.widthOfString(run.text) / 100;
      }
      this.widths.set(name, per);
    }
    return per * size;
  };

  runs(text: string, bold: boolean) {
    return runsOf(text, (set, code) => this.has.get(`${set} ${bold ? 600 : 400}`)?.(code) ?? false);
  }

  use(set: LetterSet, bold: boolean): Doc {
    return this.doc.font(`${set} ${bold ? 600 : 400}`);
  }

  draw(t: Pick<TextItem, "x" | "y" | "text" | "size" | "bold">, color: string): void {
    let { x } = t;
    for (const run of this.runs(t.text, t.bold)) {
      this.use(run.set, t.bold).fontSize(t.size).fillColor(color);
      this.doc.text(run.text, x, t.y, { lineBreak: false });
      x += this.doc.widthOfString(run.text);
    }
  }
}

/** Items that are read as one, with what they are; null for what is only furniture. */
function parted(items: readonly Item[]): { role: string | null; alt: string; items: Item[] }[] {
  const out: { role: string | null; alt: string; items: Item[] }[] = [];
  for (const item of items) {
    const role =
      item.kind === "picture" ? "Figure" : item.kind === "rule" || item.role === "foot" ? null : ROLES[item.role];
    const last = out[out.length - 1];
    const alike = last?.role === role && role !== "Figure" && item.kind === last.items[0]?.kind;
    if (last && alike) last.items.push(item);
    else out.push({ role, alt: item.kind === "picture" ? item.alt : "", items: [item] });
  }
  return out;
}
const ROLES = { title: "H1", heading: "H2", text: "P", entry: "P", foot: "P" } as const;

function drawItem(doc: Doc, letters: Letters, item: Item): void {
  if (item.kind === "rule") {
    doc
      .moveTo(item.x, item.y)
      .lineTo(item.x + item.width, item.y)
      .lineWidth(0.6)
      .strokeColor(INK.rule)
      .stroke();
    return;
  }
  if (item.kind === "picture") {
    drawPicture(doc, letters, item);
    return;
  }
  letters.draw(item, item.soft ? INK.soft : INK.text);
  if (item.to) doc.goTo(item.x, item.y, item.width, item.size * 1.3, item.to);
}

function drawPicture(doc: Doc, letters: Letters, { x, y, width, height, picture }: PictureItem): void {
  const scale = width / WIDE;
  doc.save();
  doc.rect(x, y, width, height).clip();
  if (picture.jpeg) doc.image(picture.jpeg as never, x, y, { width, height });
  // Points on the page for places in the drawing; widths stay in points.
  drawLines(doc, picture, (v, k) => round((k === 0 ? x : y) + v * scale));
  for (const note of picture.drawing.notes) {
    const at = (px: number, py: number) => [x + px * scale, y + py * scale] as const;
    const [left, top] = at(note.left, note.top);
    const [w, h] = [note.width * scale, note.height * scale];
    const [ax, ay] = at(note.x, note.y);
    const edge = ax < left ? left : ax > left + w ? left + w : left + w / 2;
    doc
      .moveTo(ax, ay)
      .lineTo(edge, top + h / 2)
      .lineWidth(0.5)
      .strokeColor(INK.text)
      .stroke();
    doc.circle(ax, ay, 1.4).fill(INK.text);
    doc.roundedRect(left, top, w, h, 1.5).lineWidth(0.5).fillAndStroke(INK.halo, INK.text);
    const size = note.size * scale;
    letters.draw(
      { x: left + size * 0.55, y: top + (h - size * 1.3) / 2, text: note.text, size, bold: false },
      INK.text,
    );
  }
  drawArrows(doc, picture, (v, k) => round((k === 0 ? x : y) + v * scale), scale);
  doc.restore();
  doc.rect(x, y, width, height).lineWidth(0.5).strokeColor(INK.frame).stroke();
}

/** A hundredth of a point is finer than any printer. */
const round = (v: number): number => Math.round(v * 100) / 100;
type Place = (v: number, k: 0 | 1) => number;

function path(doc: Doc, line: ArrayLike<number>, place: Place): void {
  doc.moveTo(place(nth(line, 0), 0), place(nth(line, 1), 1));
  for (let i = 2; i + 1 < line.length; i += 2) doc.lineTo(place(nth(line, i), 0), place(nth(line, i + 1), 1));
}

function drawLines(doc: Doc, { drawing }: DrawnPicture, place: Place): void {
  for (const strokes of drawing.strokes ?? []) {
    const { width, color } = inkOf(strokes);
    doc.lineWidth(width).lineJoin("round").lineCap("round").strokeColor(color);
    for (const line of strokes.lines) path(doc, line, place);
    doc.stroke();
  }
  if (drawing.dashes.length === 0) return;
  const { width, on, off } = INK.dash;
  doc.lineWidth(width).strokeColor(INK.text).dash(on, { space: off });
  for (const line of drawing.dashes) path(doc, line, place);
  doc.stroke().undash();
}

function drawArrows(doc: Doc, { drawing }: DrawnPicture, place: Place, scale: number): void {
  for (const arrow of drawing.arrows) {
    const { shaft, tips } = arrowShape(arrow);
    // The edge of paper first, then the arrow itself.
    for (const halo of [true, false]) {
      const grow = halo ? 2 * INK.edge : 0;
      const color = halo ? INK.halo : INK.arrow;
      doc.lineJoin("round").lineCap("butt").strokeColor(color).fillColor(color);
      doc.lineWidth((INK.shaft + grow) * scale);
      path(doc, shaft, place);
      doc.stroke();
      for (const tip of tips) {
        path(doc, tip, place);
        doc.closePath();
        if (halo) doc.lineWidth(grow * scale).fillAndStroke(color, color);
        else doc.fill();
      }
    }
  }
}
