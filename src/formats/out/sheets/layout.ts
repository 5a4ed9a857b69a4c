import { wrapped } from "../../../core/captions/layout";
import { FOOTER, GUTTER, MARGIN, pageGrid, pageSize } from "../../../core/outputs/sheets";
import {
  allTools,
  altOf,
  type DrawnPicture,
  type DrawnStep,
  factsOf,
  footOf,
  placeOf,
  type SheetDocument,
} from "./document";

/** Width of a text in letters of a size, points. */
export type MeasureText = (text: string, size: number, bold: boolean) => number;

/** A line of text; `y` is the upper edge of its letters. Points from the page's upper left. */
export interface TextItem {
  kind: "text";
  role: "title" | "heading" | "text" | "entry" | "foot";
  x: number;
  y: number;
  width: number;
  size: number;
  bold: boolean;
  soft: boolean;
  text: string;
  /** Place that it leads to. */
  to?: string;
}
export interface PictureItem {
  kind: "picture";
  x: number;
  y: number;
  width: number;
  height: number;
  picture: DrawnPicture;
  alt: string;
}
export interface RuleItem {
  kind: "rule";
  x: number;
  y: number;
  width: number;
}
export type Item = TextItem | PictureItem | RuleItem;

export interface Page {
  items: Item[];
  /** Places that can be led to, with how far down they are. */
  places: { name: string; number: number; title: string; y: number }[];
}

const LEADING = 1.38;
/** A picture gives way to its text down to this share of its height, before the step takes more room. */
const LEAST_PICTURE = 0.55;
/** Between a picture and its text. */
const GAP = 6;
const LABEL = 44;
const BELOW_HEAD = 2;

/** Sizes of letters by how many pictures are on a page, points. */
function sizesOf(perPage: number) {
  const text = perPage <= 2 ? 11 : perPage <= 4 ? 10 : 9;
  return { text, heading: text + 3, fact: text - 1, word: text - 2 };
}

interface Line {
  parts: { x: number; text: string; bold: boolean; soft: boolean }[];
  size: number;
  /** Room above it. */
  before: number;
}
const lineHeight = (l: Line): number => l.before + l.size * LEADING;
const heightOf = (lines: readonly Line[]): number => lines.reduce((sum, l) => sum + lineHeight(l), 0);

/**
 * The pages of a document: cover, contents, then steps in the order in which they are read, in a grid of pictures. A
 * step with two pictures takes two places side by side, or below one another where there is one column. One whose text
 * needs more takes the whole row, then more rows; what no page holds goes on on the next. Nothing is left out.
 */
export function layOut(d: SheetDocument, measure: MeasureText): Page[] {
  const body = new Steps(d, measure);
  for (const step of d.steps) body.add(step);
  const front = d.settings.cover ? [cover(d, measure)] : [];
  const entries = body.pages.flatMap((p, i) => p.places.map((at) => ({ ...at, page: i })));
  // How many pages the contents take decides on what page a step is.
  let count = d.settings.contents ? 1 : 0;
  let list: Page[] = [];
  for (let i = 0; i < 3; i++) {
    list = d.settings.contents
      ? contents(
          d,
          entries.map((e) => ({ ...e, page: e.page + 1 + front.length + count })),
          measure,
        )
      : [];
    if (list.length === count) break;
    count = list.length;
  }
  const pages = [...front, ...list, ...body.pages];
  pages.forEach((page, i) => {
    if (i > 0 || !d.settings.cover) foot(d, page, i + 1, pages.length, measure);
  });
  return pages;
}

/** Puts steps onto pages. */
class Steps {
  readonly pages: Page[] = [];
  private readonly sizes: ReturnType<typeof sizesOf>;
  private readonly rows: number;
  private readonly columns: number;
  private readonly wide: number;
  private readonly high: number;
  /** The next free place of the grid, and how many rows what stands in its row takes. */
  private row = 0;
  private column = 0;
  private taken = 1;

  constructor(
    private readonly d: SheetDocument,
    private readonly measure: MeasureText,
  ) {
    const { width, height } = pageSize(d.settings);
    const { rows, columns } = pageGrid(d.settings);
    this.rows = rows;
    this.columns = columns;
    this.sizes = sizesOf(d.settings.perPage);
    this.wide = (width - 2 * MARGIN - GUTTER * (columns - 1)) / columns;
    this.high = (height - 2 * MARGIN - FOOTER - GUTTER * (rows - 1)) / rows;
  }

  add(step: DrawnStep): void {
    const places = this.rows * this.columns;
    const first = step.pictures.slice(0, places);
    this.block(step, first, true, "");
    for (let at = places; at < step.pictures.length; at += places)
      this.block(step, step.pictures.slice(at, at + places), false, step.pictures[at]?.word.toLowerCase() ?? "");
  }

  private block(step: DrawnStep, pictures: readonly DrawnPicture[], words: boolean, more: string): void {
    const spans = this.spans(pictures.length);
    let chosen = spans[spans.length - 1] as Span;
    let cut = this.cut(step, pictures, words, more, chosen);
    for (const span of spans) {
      const tried = this.cut(step, pictures, words, more, span);
      if (!tried.fits) continue;
      [chosen, cut] = [span, tried];
      break;
    }
    const { x, y, page } = this.take(chosen);
    if (words && !more) page.places.push({ name: placeOf(step), number: step.number, title: step.title, y });
    page.items.push({ kind: "rule", x, y, width: this.width(chosen.columns) });
    let top = this.lines(page, cut.head, x, y, "heading");
    for (let i = 0; i < pictures.length; i += cut.across) {
      pictures.slice(i, i + cut.across).forEach((picture, k) => {
        const left = x + k * (cut.each + GUTTER);
        page.items.push({
          kind: "picture",
          x: left,
          y: top,
          width: cut.picture / cut.aspect,
          height: cut.picture,
          picture,
          alt: altOf(step, picture),
        });
        if (picture.word)
          page.items.push(
            this.text({
              x: left,
              y: top + cut.picture + 2,
              text: picture.word,
              size: this.sizes.word,
              soft: true,
              role: "text",
            }),
          );
      });
      top += cut.picture + cut.word + GAP;
    }
    top = this.lines(page, cut.text, x, top, "text");
    this.goOn(step, cut.rest);
  }

  /** What found no room on the page of its step, over the whole width of the next ones. */
  private goOn(step: DrawnStep, rest: readonly Line[]): void {
    let left = [...rest];
    while (left.length > 0) {
      const head = this.head(step, this.width(this.columns), "goes on");
      const whole = this.height(this.rows);
      let n = 0;
      let used = heightOf(head) + BELOW_HEAD;
      while (n < left.length && used + lineHeight(left[n] as Line) <= whole) used += lineHeight(left[n++] as Line);
      // A page of a single line is no page: at least one is always taken.
      n = Math.max(1, n);
      const rows = Math.min(this.rows, Math.max(1, Math.ceil((used + GUTTER) / (this.high + GUTTER))));
      const { x, y, page } = this.take({ columns: this.columns, rows });
      page.items.push({ kind: "rule", x, y, width: this.width(this.columns) });
      const top = this.lines(page, head, x, y, "heading");
      this.lines(page, left.slice(0, n), x, top, "text");
      left = left.slice(n);
    }
  }

  private width = (columns: number) => columns * this.wide + (columns - 1) * GUTTER;
  private height = (rows: number) => rows * this.high + (rows - 1) * GUTTER;

  /** Rooms that so many pictures may take, the smallest first. */
  private spans(pictures: number): Span[] {
    const columns = Math.min(pictures, this.columns);
    const rows = Math.min(this.rows, Math.ceil(pictures / columns));
    const out: Span[] = [{ columns, rows }];
    for (let c = columns + 1; c <= this.columns; c++) out.push({ columns: c, rows });
    for (let r = rows + 1; r <= this.rows; r++) out.push({ columns: this.columns, rows: r });
    return out;
  }

  /** How a step would stand in a room. */
  private cut(step: DrawnStep, pictures: readonly DrawnPicture[], words: boolean, more: string, span: Span) {
    const [width, height] = [this.width(span.columns), this.height(span.rows)];
    const high = pictures[0]?.drawing.high ?? 600;
    const aspect = high / 1000;
    const across = Math.max(1, Math.min(pictures.length, span.columns));
    const down = Math.ceil(pictures.length / across);
    const each = (width - GUTTER * (across - 1)) / across;
    const head = this.head(step, width, more);
    const word = pictures.some((p) => p.word) ? this.sizes.word * LEADING + 2 : 0;
    const text = words ? this.words(step, width) : [];
    const left = height - heightOf(head) - BELOW_HEAD - down * (word + GAP);
    const natural = each * aspect;
    const room = (left - heightOf(text)) / down;
    const least = Math.min(natural, left / down) * LEAST_PICTURE;
    const picture = Math.min(natural, Math.max(least, room));
    // Lines that are left when the picture is as small as it may be.
    let n = 0;
    let used = down * picture;
    while (n < text.length && used + lineHeight(text[n] as Line) <= left + 0.01) used += lineHeight(text[n++] as Line);
    return {
      fits: room >= least - 0.01,
      head,
      word,
      text: text.slice(0, n),
      rest: text.slice(n),
      picture,
      aspect,
      across,
      each,
    };
  }

  private head(step: DrawnStep, width: number, more: string): Line[] {
    const size = this.sizes.heading;
    const number = String(step.number);
    const indent = Math.max(size * 1.5, this.measure(number, size, true) + size * 0.6);
    const title = more ? `${step.title} (${more})` : step.title;
    return this.wrap(title, size, width - indent, true).map((text, i) => ({
      size,
      before: i === 0 ? 5 : 0,
      parts: [
        ...(i === 0 ? [{ x: 0, text: number, bold: true, soft: false }] : []),
        { x: indent, text, bold: true, soft: false },
      ],
    }));
  }

  private words(step: DrawnStep, width: number): Line[] {
    const { text, fact } = this.sizes;
    const caption = step.caption
      ? this.wrap(step.caption, text, width, false).map((t, i): Line => {
          return { size: text, before: i === 0 ? 1 : 0, parts: [{ x: 0, text: t, bold: false, soft: false }] };
        })
      : [];
    const facts = factsOf(step, this.d.settings).flatMap(({ label, text: t }) =>
      this.wrap(t, fact, width - LABEL, false).map(
        (line, i): Line => ({
          size: fact,
          before: i === 0 ? 3 : 0,
          parts: [
            ...(i === 0 ? [{ x: 0, text: label, bold: true, soft: true }] : []),
            { x: LABEL, text: line, bold: false, soft: false },
          ],
        }),
      ),
    );
    return [...caption, ...facts];
  }

  private wrap(text: string, size: number, width: number, bold: boolean): string[] {
    return wrapped((t) => this.measure(t, size, bold), text, width, true);
  }

  private lines(page: Page, lines: readonly Line[], x: number, y: number, role: TextItem["role"]): number {
    let top = y;
    for (const line of lines) {
      top += line.before;
      for (const p of line.parts)
        page.items.push(
          this.text({ x: x + p.x, y: top, text: p.text, size: line.size, bold: p.bold, soft: p.soft, role }),
        );
      top += line.size * LEADING;
    }
    return top + (role === "heading" ? BELOW_HEAD : 0);
  }

  private text(t: Pick<TextItem, "x" | "y" | "text" | "size" | "role"> & Partial<TextItem>): TextItem {
    const bold = t.bold ?? false;
    return { kind: "text", bold, soft: false, width: this.measure(t.text, t.size, bold), ...t };
  }

  /** Takes the next room of a size in the grid. */
  private take(span: Span): { x: number; y: number; page: Page } {
    if (this.column + span.columns > this.columns) {
      this.row += this.taken;
      this.column = 0;
      this.taken = 1;
    }
    if (this.pages.length === 0 || this.row + span.rows > this.rows) {
      this.pages.push({ items: [], places: [] });
      this.row = 0;
      this.column = 0;
      this.taken = 1;
    }
    const at = {
      x: MARGIN + this.column * (this.wide + GUTTER),
      y: MARGIN + this.row * (this.high + GUTTER),
      page: this.pages[this.pages.length - 1] as Page,
    };
    this.column += span.columns;
    this.taken = Math.max(this.taken, span.rows);
    return at;
  }
}
interface Span {
  columns: number;
  rows: number;
}

function cover(d: SheetDocument, measure: MeasureText): Page {
  const { width, height } = pageSize(d.settings);
  const wide = width - 2 * MARGIN;
  const items: Item[] = [];
  let y = MARGIN + (d.settings.hold === "upright" ? 70 : 10);
  const put = (text: string, size: number, bold: boolean, soft: boolean, role: TextItem["role"]) => {
    for (const line of wrapped((t) => measure(t, size, bold), text, wide, true)) {
      items.push({ kind: "text", role, x: MARGIN, y, size, bold, soft, text: line, width: measure(line, size, bold) });
      y += size * 1.25;
    }
  };
  put(d.title, 30, true, false, "title");
  y += 6;
  put(d.about, 12, false, true, "text");
  const last = [d.settings.revision.trim() ? `Revision ${d.settings.revision.trim()}` : "", d.date].filter(Boolean);
  if (d.cover) {
    y += 18;
    const aspect = d.cover.drawing.high / 1000;
    const high = Math.min(wide * aspect, height - MARGIN - FOOTER - 18 * last.length - 24 - y);
    if (high > 60) {
      items.push({ kind: "picture", x: MARGIN, y, width: high / aspect, height: high, picture: d.cover, alt: d.title });
      y += high + 18;
    }
  }
  for (const line of last) put(line, 12, false, false, "text");
  return { items, places: [] };
}

/** Room for the numbers of steps in the contents. */
const INDENT = 30;

function contents(
  d: SheetDocument,
  entries: readonly { name: string; number: number; title: string; page: number }[],
  measure: MeasureText,
): Page[] {
  const { width, height } = pageSize(d.settings);
  const wide = width - 2 * MARGIN;
  const foot = height - MARGIN - FOOTER;
  const size = 11;
  const pages: Page[] = [];
  let page: Page = { items: [], places: [] };
  let y = foot;
  const begin = () => {
    page = { items: [], places: [] };
    const first = pages.push(page) === 1;
    const text = first ? "Steps" : "Steps (goes on)";
    page.items.push({
      kind: "text",
      role: "title",
      x: MARGIN,
      y: MARGIN,
      size: 18,
      bold: true,
      soft: false,
      text,
      width: measure(text, 18, true),
    });
    y = MARGIN + 36;
  };
  const tools = allTools(d);
  for (const entry of entries) {
    const lines = wrapped((t) => measure(t, size, false), entry.title, wide - INDENT - 40, true);
    if (y + lines.length * size * 1.6 > foot) begin();
    lines.forEach((text, i) => {
      const item = { kind: "text", role: "entry", size, bold: false, soft: false, to: entry.name } as const;
      if (i === 0) {
        const count = String(entry.number);
        page.items.push({ ...item, x: MARGIN, y, bold: true, text: count, width: measure(count, size, true) });
      }
      page.items.push({ ...item, x: MARGIN + INDENT, y, text, width: measure(text, size, false) });
      if (i === lines.length - 1) {
        const number = String(entry.page);
        const w = measure(number, size, false);
        page.items.push({ ...item, x: MARGIN + wide - w, y, text: number, width: w });
        page.items.push({ kind: "rule", x: MARGIN, y: y + size * 1.45, width: wide });
      }
      y += size * (i === lines.length - 1 ? 1.75 : 1.35);
    });
  }
  if (tools.length > 0) {
    const lines = wrapped((t) => measure(t, size, false), tools.join(", "), wide, true);
    if (y + (lines.length + 2) * size * 1.4 > foot) begin();
    y += 14;
    const item = { kind: "text", role: "text", x: MARGIN, size, soft: false } as const;
    page.items.push({ ...item, y, bold: true, text: "Tools", width: measure("Tools", size, true) });
    for (const text of lines) {
      y += size * 1.4;
      page.items.push({ ...item, y, bold: false, text, width: measure(text, size, false) });
    }
  }
  return pages;
}

function foot(d: SheetDocument, page: Page, number: number, of: number, measure: MeasureText): void {
  const { width, height } = pageSize(d.settings);
  const y = height - MARGIN - 8;
  const size = 8;
  const item = { kind: "text", role: "foot", y, size, bold: false, soft: true } as const;
  const right = `Page ${number} of ${of}`;
  const wr = measure(right, size, false);
  const middle = footOf(d);
  const wm = measure(middle, size, false);
  // The title gives way where all three do not fit.
  const room = width - 2 * MARGIN - wr - wm - 40;
  let title = d.title;
  while (title.length > 1 && measure(title, size, false) > room) title = `${title.replace(/…$/, "").slice(0, -1)}…`;
  const wt = measure(title, size, false);
  page.items.push({ ...item, x: MARGIN, text: title, width: wt });
  const free = width - 2 * MARGIN - wr - wt;
  page.items.push({ ...item, x: MARGIN + wt + Math.max(20, (free - wm) / 2), text: middle, width: wm });
  page.items.push({ ...item, x: width - MARGIN - wr, text: right, width: wr });
}
