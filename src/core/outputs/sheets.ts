import { z } from "zod";
import { markerBeyond, SHEET_MOMENTS, sheetSteps } from "../sheets/content";
import { lettersLacking } from "../sheets/letters";
import { type OutputRemark, outputKind } from "./kind";

export const REVISION_MAX = 60;
/** Most pictures on a page. */
export const PAGE_MOST = 6;

const sheetsSchema = z.object({
  format: z.enum(["pdf", "html"]),
  paper: z.enum(["a4", "letter"]),
  hold: z.enum(["upright", "lying"]),
  /** Pictures on a page; a step that shows before and after has two. */
  perPage: z.int().min(1).max(PAGE_MOST),
  moments: z.enum(SHEET_MOMENTS),
  style: z.enum(["shaded", "lines"]),
  arrows: z.boolean(),
  parts: z.boolean(),
  /** Tools and torque, out of the notes. */
  tools: z.boolean(),
  notes: z.boolean(),
  cover: z.boolean(),
  contents: z.boolean(),
  /** As it stands on the cover and on each page; "" for none. */
  revision: z.string().max(REVISION_MAX),
  /** Fineness of shaded pictures, dots an inch. */
  dpi: z.union([z.literal(110), z.literal(150), z.literal(220), z.literal(300)]),
  /** Id of the look that it is shown in; "" for the one that the desk shows. */
  look: z.string().max(40),
});
export type SheetsSettings = z.infer<typeof sheetsSchema>;

/** Sizes of paper held upright, points (1/72 inch): ISO 216 A4, and ANSI Letter. */
const PAPER = { a4: [595.28, 841.89], letter: [612, 792] } as const;
/** From the edges of the paper, points; below, there is the footer as well. */
export const MARGIN = 42;
export const FOOTER = 26;
/** Between what stands side by side, and below one another. */
export const GUTTER = 16;

/** Width and height of a page as it is held, points. */
export function pageSize(s: Pick<SheetsSettings, "paper" | "hold">): { width: number; height: number } {
  const [short, long] = PAPER[s.paper];
  return s.hold === "upright" ? { width: short, height: long } : { width: long, height: short };
}

/** Rows and columns of a page's pictures: columns first where the page lies. */
export function pageGrid(s: Pick<SheetsSettings, "hold" | "perPage">): { rows: number; columns: number } {
  const n = s.perPage;
  const [many, few] = n <= 3 ? [n, 1] : n === 4 ? [2, 2] : [3, 2];
  return s.hold === "upright" ? { rows: many, columns: few } : { rows: few, columns: many };
}

/** Width of the place of a picture, points. */
export function pictureWidth(s: Pick<SheetsSettings, "paper" | "hold" | "perPage">): number {
  const { columns } = pageGrid(s);
  return (pageSize(s).width - 2 * MARGIN - GUTTER * (columns - 1)) / columns;
}

/** So many letters are named. */
const MOST_NAMED = 12;

export const sheets = outputKind<SheetsSettings>({
  id: "sheets",
  title: "Step sheets",
  about: "Steps on paper: pictures with arrows along what moves, captions, parts and tools. As PDF or as a page.",
  draws: false,
  looks: true,
  needsBrowser: true,
  schema: sheetsSchema,
  defaults: () => ({
    ...{ format: "pdf", paper: "a4", hold: "upright", perPage: 6, moments: "both", style: "shaded", arrows: true },
    ...{ parts: true, tools: true, notes: false, cover: true, contents: true, revision: "", dpi: 150, look: "" },
  }),
  fields: [
    {
      name: "format",
      label: "File",
      type: "choice",
      options: [
        { value: "pdf", label: "PDF" },
        { value: "html", label: "HTML, for a browser" },
      ],
    },
    {
      name: "paper",
      label: "Paper",
      type: "choice",
      options: [
        { value: "a4", label: "A4" },
        { value: "letter", label: "Letter" },
      ],
    },
    {
      name: "hold",
      label: "The page stands",
      type: "choice",
      options: [
        { value: "upright", label: "upright" },
        { value: "lying", label: "lying" },
      ],
    },
    {
      name: "perPage",
      label: "Pictures a page",
      type: "choice",
      options: Array.from({ length: PAGE_MOST }, (_, i) => ({ value: i + 1, label: String(i + 1) })),
    },
    {
      name: "moments",
      label: "Each step shows",
      type: "choice",
      options: [
        { value: "both", label: "before and after" },
        { value: "before", label: "its beginning" },
        { value: "middle", label: "its middle" },
        { value: "after", label: "its end" },
        { value: "marker", label: "its first marker, else its end" },
      ],
      hint: "Markers are set in the timeline, so that each step may show a moment of its own",
    },
    {
      name: "style",
      label: "Pictures",
      type: "choice",
      options: [
        { value: "shaded", label: "shaded" },
        { value: "lines", label: "line drawings" },
      ],
    },
    { name: "arrows", label: "Arrows along what moves", type: "switch" },
    { name: "parts", label: "Parts used", type: "switch" },
    {
      name: "tools",
      label: "Tools and torque",
      type: "switch",
      hint: 'From the steps\' notes: lines such as "Tools: hex key 4 mm" and "Torque: 2.5 Nm"',
    },
    { name: "notes", label: "Notes", type: "switch", hint: "The rest of the steps' notes" },
    { name: "cover", label: "Cover", type: "switch" },
    { name: "contents", label: "Contents", type: "switch" },
    {
      name: "revision",
      label: "Revision",
      type: "text",
      max: REVISION_MAX,
      hint: "As it stands on each page; may be empty",
    },
    {
      name: "dpi",
      label: "Fineness",
      type: "choice",
      options: [
        { value: 110, label: "for a screen" },
        { value: 150, label: "usual" },
        { value: 220, label: "fine" },
        { value: 300, label: "very fine" },
      ],
      when: (s) => s.style === "shaded",
    },
    { name: "look", label: "Look", type: "look" },
  ],
  file: (s) =>
    s.format === "pdf" ? { ending: ".pdf", type: "application/pdf" } : { ending: ".html", type: "text/html" },
  plan: (s, { program, range }) => {
    const { width, height } = program.sequence.picture;
    // Told at every change of a setting: what each step comes to is not posed for it.
    const pictures = sheetSteps(program, range, "after").length * (s.moments === "both" ? 2 : 1);
    const wide = (pictureWidth(s) / 72) * s.dpi;
    // A line drawing's size goes with its edges; a typical part has some two hundred that are seen.
    const drawn = program.index.assembly.nodes.filter((n) => n.geometry >= 0).length;
    const each = s.style === "lines" ? 900 * drawn : 0.11 * wide * ((wide * height) / width);
    const seconds = 0;
    return {
      width: 0,
      height: 0,
      frames: 0,
      seconds,
      bytes: 30_000 + pictures * each * (s.format === "html" ? 1.34 : 1),
    };
  },
  remarks: (s, { looks, program, range }) => {
    const out: OutputRemark[] = [];
    if (s.look !== "" && !looks[s.look])
      out.push({ tone: "wrong", text: "Its look is gone. Choose another, or the one that the desk shows." });
    const steps = sheetSteps(program, range, "after");
    if (steps.length > 0 && steps.every((step) => step.caption === ""))
      out.push({ tone: "look", text: "No step has a caption: the sheets show pictures and titles only." });
    const beyond = s.moments === "marker" ? steps.filter((step) => markerBeyond(program, step.at)) : [];
    if (beyond.length > 0)
      out.push({
        tone: "look",
        text: `${beyond.length === 1 ? "A marker lies" : "Markers lie"} after the end of ${beyond.length === 1 ? "its step" : "their steps"}, ${beyond.map((b) => b.number).join(", ")}: the end is drawn. Move ${beyond.length === 1 ? "it" : "them"}, or choose another moment.`,
      });
    if (s.format !== "pdf") return out;
    const lacking = lettersLacking([
      program.sequence.name,
      s.revision,
      ...steps.flatMap((step) => [
        ...[step.title, step.caption, ...(s.notes ? [step.note] : [])],
        ...(s.parts ? step.parts.map((p) => p.name) : []),
        ...(s.tools ? [...step.tools, ...step.torque] : []),
      ]),
    ]);
    if (lacking.length > 0)
      out.push({
        tone: "look",
        text: `The PDF's font has no ${lacking.slice(0, MOST_NAMED).join(" ")}${lacking.length > MOST_NAMED ? ` and ${lacking.length - MOST_NAMED} more letters` : ""}: empty boxes stand for them. Make it as HTML, which is shown in the reader's own fonts.`,
      });
    return out;
  },
});
