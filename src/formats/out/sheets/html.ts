import { arrowShape } from "../../../core/drawing/arrowShape";
import { nth } from "../../../core/math/packed";
import { pageGrid, type SheetsSettings } from "../../../core/outputs/sheets";
import { base64, escaped, hashOf } from "../page/html";
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
import { LETTER_SETS, LETTER_WEIGHTS, type LetterSet } from "./fonts";
import { INK, inkOf } from "./ink";

const PT = 4 / 3;

/**
 * The same step sheets as one HTML file, for a screen of any width and for paper. Nothing in it runs, and nothing is
 * loaded from anywhere.
 * @param fontFile a part of our font in a weight, as WOFF2; null where it is not to be had @param bare only the steps
 */
export async function sheetsHtml(
  d: SheetDocument,
  fontFile: (set: LetterSet, weight: number) => Promise<Uint8Array | null>,
  bare = false,
): Promise<string> {
  const style = `${await fontFaces(d, fontFile)}${styleOf(d.settings, footOf(d))}`;
  const policy = [
    "default-src 'none'",
    `style-src ${await hashOf(style)}`,
    "img-src data:",
    "font-src data:",
    "base-uri 'none'",
    "form-action 'none'",
  ].join("; ");
  return [
    '<!doctype html><html lang="en"><head><meta charset="utf-8">',
    `<meta http-equiv="Content-Security-Policy" content="${policy}">`,
    '<meta name="viewport" content="width=device-width,initial-scale=1">',
    `<title>${escaped(d.title)}</title><style>${style}</style></head><body>`,
    bare ? "" : headHtml(d),
    `<main>${d.steps.map((s) => stepHtml(s, d.settings)).join("\n")}</main>`,
    "</body></html>",
  ].join("\n");
}

/** Title, cover and contents. */
function headHtml(d: SheetDocument): string {
  const { cover, contents } = d.settings;
  const last = [d.settings.revision.trim() ? `Revision ${d.settings.revision.trim()}` : "", d.date].filter(Boolean);
  const tools = allTools(d);
  const entries = d.steps.map((s) => `<li value="${s.number}"><a href="#${placeOf(s)}">${escaped(s.title)}</a></li>`);
  const needed = tools.length > 0 ? `<h2>Tools</h2><p>${escaped(tools.join(", "))}</p>` : "";
  return [
    `<header${cover ? ' class="cover"' : ""}><h1>${escaped(d.title)}</h1><p>${escaped(d.about)}</p>`,
    d.cover ? figure(d.cover, d.title) : "",
    `<p>${last.map(escaped).join("<br>")}</p></header>`,
    contents ? `<nav aria-label="Contents"><h2>Steps</h2><ol>${entries.join("")}</ol>${needed}</nav>` : "",
  ].join("\n");
}

function stepHtml(step: DrawnStep, s: SheetsSettings): string {
  const facts = factsOf(step, s).map((f) => `<dt>${f.label}</dt><dd>${lines(f.text)}</dd>`);
  const pictures = step.pictures.map((p) => figure(p, altOf(step, p)));
  return [
    `<article id="${placeOf(step)}" class="n${step.pictures.length}">`,
    `<h2><span>${step.number}</span>${escaped(step.title)}</h2><div>${pictures.join("")}</div>`,
    step.caption ? `<p>${lines(step.caption)}</p>` : "",
    facts.length > 0 ? `<dl>${facts.join("")}</dl>` : "",
    "</article>",
  ].join("");
}

const lines = (text: string): string => text.split("\n").map(escaped).join("<br>");

function figure(picture: DrawnPicture, alt: string): string {
  const { drawing, jpeg, word } = picture;
  const { high } = drawing;
  const parts = [
    `<title>${escaped(alt)}</title>`,
    jpeg ? `<image width="1000" height="${num(high)}" href="data:image/jpeg;base64,${base64(jpeg)}"/>` : "",
    ...(drawing.strokes ?? []).map((s) => {
      const { width, color } = inkOf(s);
      return `<path d="${s.lines.map(path).join("")}" stroke="${color}" stroke-width="${num(width * PT)}" vector-effect="non-scaling-stroke"/>`;
    }),
    ...(drawing.dashes.length > 0
      ? [
          `<path d="${drawing.dashes.map(path).join("")}" stroke="${INK.text}" stroke-width="${num(INK.dash.width * PT)}" stroke-dasharray="${INK.dash.on} ${INK.dash.off}" vector-effect="non-scaling-stroke"/>`,
        ]
      : []),
    ...drawing.notes.map((n) => {
      const edge = n.x < n.left ? n.left : n.x > n.left + n.width ? n.left + n.width : n.left + n.width / 2;
      return (
        `<path d="M${num(n.x)} ${num(n.y)}L${num(edge)} ${num(n.top + n.height / 2)}" stroke="${INK.text}"/><circle cx="${num(n.x)}" cy="${num(n.y)}" r="3.5" fill="${INK.text}"/>` +
        `<rect x="${num(n.left)}" y="${num(n.top)}" width="${num(n.width)}" height="${num(n.height)}" rx="3" fill="${INK.halo}" stroke="${INK.text}"/>` +
        `<text x="${num(n.left + n.size * 0.55)}" y="${num(n.top + n.height / 2 + n.size * 0.35)}" font-size="${num(n.size)}" fill="${INK.text}">${escaped(n.text)}</text>`
      );
    }),
    ...drawing.arrows.map((arrow) => {
      const { shaft, tips } = arrowShape(arrow);
      const tip = tips.map((t) => `${path(t)}Z`).join("");
      return (
        `<path d="${path(shaft)}" stroke="${INK.halo}" stroke-width="${INK.shaft + 2 * INK.edge}"/><path d="${tip}" stroke="${INK.halo}" stroke-width="${2 * INK.edge}" fill="${INK.halo}"/>` +
        `<path class="arrow" d="${path(shaft)}" stroke="${INK.arrow}" stroke-width="${INK.shaft}"/><path d="${tip}" fill="${INK.arrow}"/>`
      );
    }),
  ];
  const svg = `<svg viewBox="0 0 1000 ${num(high)}" role="img" fill="none" stroke-linejoin="round">${parts.join("")}</svg>`;
  return `<figure>${svg}${word ? `<figcaption>${word}</figcaption>` : ""}</figure>`;
}

const num = (v: number): string => String(Math.round(v * 10) / 10);
function path(line: ArrayLike<number>): string {
  let out = `M${num(nth(line, 0))} ${num(nth(line, 1))}`;
  for (let i = 2; i + 1 < line.length; i += 2) out += `L${num(nth(line, i))} ${num(nth(line, i + 1))}`;
  return out;
}

/** Letters for which a part of the font is taken along; a browser chooses among parts by what they hold. */
const ALPHABETS: Readonly<Record<LetterSet, (code: number) => boolean>> = {
  latin: () => true,
  "latin-ext": (c) => (c >= 0x100 && c < 0x250) || (c >= 0x1e00 && c < 0x1ea0),
  greek: (c) => c >= 0x370 && c < 0x400,
  cyrillic: (c) => c >= 0x400 && c < 0x460,
  "cyrillic-ext": (c) => c >= 0x460 && c < 0x530,
  vietnamese: (c) => (c >= 0x1ea0 && c < 0x1f00) || c === 0x1a1 || c === 0x1b0,
};

/** The parts of our font that the document's letters need. */
async function fontFaces(
  d: SheetDocument,
  fontFile: (set: LetterSet, weight: number) => Promise<Uint8Array | null>,
): Promise<string> {
  const texts = [
    d.title,
    d.about,
    footOf(d),
    "Steps",
    ...d.steps.flatMap((s) => [s.title, s.caption, ...factsOf(s, d.settings).map((f) => f.text)]),
  ];
  const codes = new Set(texts.flatMap((t) => [...t].map((c) => c.codePointAt(0) ?? 0)));
  const sets = LETTER_SETS.filter((set) => [...codes].some((c) => ALPHABETS[set](c)));
  let out = "";
  for (const set of sets)
    for (const weight of LETTER_WEIGHTS) {
      const bytes = await fontFile(set, weight);
      if (bytes)
        out += `@font-face{font-family:"Sheet ${set}";font-weight:${weight};src:url(data:font/woff2;base64,${base64(bytes)})}`;
    }
  const family = [...sets].map((s) => `"Sheet ${s}"`).join(",");
  return `${out}:root{--font:${family},"Helvetica Neue",Arial,sans-serif}`;
}

function styleOf(s: SheetsSettings, foot: string): string {
  const { columns } = pageGrid(s);
  const size = `${s.paper === "a4" ? "A4" : "letter"} ${s.hold === "upright" ? "portrait" : "landscape"}`;
  const said = foot.replace(/[\\"<>\n]/g, (c) => `\\${c.charCodeAt(0).toString(16)} `);
  return `
*{box-sizing:border-box}
body{margin:0 auto;padding:24px 20px;max-width:1100px;background:#fff;color:${INK.text};font:16px/1.45 var(--font)}
h1{font-size:32px;line-height:1.2;margin:0 0 6px}h2{font-size:20px;line-height:1.3;margin:0 0 8px}p{margin:6px 0}
header p{color:${INK.soft}}header{margin-bottom:28px}nav{margin-bottom:32px}
nav ol{margin:0;padding-left:32px}nav li{padding:2px 0}
a{color:#0B6E69;display:inline-block;padding:6px 0}
a:focus-visible{outline:3px solid #0B6E69;outline-offset:2px}
main{display:grid;gap:36px 20px;grid-template-columns:repeat(${columns},minmax(0,1fr))}
article{border-top:1px solid ${INK.rule};padding-top:10px;scroll-margin-top:8px;overflow-wrap:anywhere}
article>div{display:grid;gap:8px 16px;grid-template-columns:minmax(0,1fr)}
article h2{display:flex;gap:12px}
.n2{grid-column:span ${Math.min(2, columns)}}.n2>div{grid-template-columns:repeat(${Math.min(2, columns)},minmax(0,1fr))}
figure{margin:0}svg{display:block;width:100%;height:auto;border:1px solid ${INK.frame};overflow:hidden}
figcaption{font-size:14px;color:${INK.soft};padding-top:2px}
dl{display:grid;grid-template-columns:auto 1fr;gap:2px 14px;margin:8px 0 0;font-size:15px}dt{font-weight:600;color:${INK.soft}}dd{margin:0}
@media(max-width:700px){main,.n2>div{grid-template-columns:minmax(0,1fr)}.n2{grid-column:auto}body{padding:16px 14px}}
@page{size:${size};margin:15mm 15mm 18mm;@bottom-left{content:"${said}";font:8pt sans-serif}@bottom-right{content:"Page " counter(page) " of " counter(pages);font:8pt sans-serif}}
@media print{body{padding:0;max-width:none;font-size:10pt}h2{font-size:13pt}article{break-inside:avoid}header.cover,nav{break-after:page}a{padding:0;color:inherit}dl,figcaption{font-size:9pt}main{display:block}article{margin-bottom:18pt}.n1>div{width:${columns > 1 ? `calc(${100 / columns}% - 8px)` : "100%"}}}
`;
}
