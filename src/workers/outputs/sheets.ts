import { plainMeasure } from "../../core/captions/layout";
import { MOST_ARROWS } from "../../core/drawing/arrows";
import { applyLook, lookNow } from "../../core/edit/preparationCommands";
import { pictureDefaults } from "../../core/outputs/picture";
import { pictureWidth, type SheetsSettings } from "../../core/outputs/sheets";
import { type SheetStep, sheetSteps } from "../../core/sheets/content";
import { lettersLacking } from "../../core/sheets/letters";
import { SheetDrawer } from "../../core/sheets/picture";
import { Refusal } from "../../core/text/refusal";
import { formatSecondsShort } from "../../core/time/time";
import { type DrawnPicture, type DrawnStep, factsOf, type SheetDocument } from "../../formats/out/sheets/document";
import { type LetterSet, letterFile } from "../../formats/out/sheets/fonts";
import { frameMaker, goOn, type LookContext, type Looker, type MakeContext, type Maker } from "./maker";

/** How finely shaded pictures are written, 0 to 1. */
const FINE = 0.88;
/** Share of the work that pictures are. */
const PICTURES = 0.9;

/** Steps on paper, or as a page to be read. */
export const makeSheets: Maker<SheetsSettings> = async (s, c) => {
  const { program, range } = c;
  const steps = sheetSteps(program, range, s.moments);
  const drawn = await drawnSteps(s, c, steps, c.tell);
  const document: SheetDocument = {
    title: program.sequence.name,
    about: `${steps.length} ${steps.length === 1 ? "step" : "steps"}, ${formatSecondsShort(range.to - range.from)} s`,
    date: new Intl.DateTimeFormat("en-GB", { dateStyle: "long" }).format(new Date()),
    settings: s,
    steps: drawn.steps,
    cover: drawn.cover,
  };
  const said = [`${steps.length} steps`, `${drawn.arrows} arrows`];
  if (drawn.without.size > 0)
    said.push(
      `something moves without an arrow, for want of room or as a picture has ${MOST_ARROWS} at most, in step ${[...drawn.without].join(", ")}`,
    );
  const fonts = (ending: "woff" | "woff2") => lettersOf(c, ending);
  if (s.format === "html") {
    const { sheetsHtml } = await import("../../formats/out/sheets/html");
    const html = await sheetsHtml(document, fonts("woff2"));
    c.sink.write(0, new TextEncoder().encode(html));
    return { type: "text/html", check: async () => said };
  }
  const { sheetsPdf } = await import("../../formats/out/sheets/pdf");
  const { bytes, pages } = await sheetsPdf(document, fonts("woff"), (page, of) => {
    goOn(c.signal);
    c.tell(PICTURES + ((1 - PICTURES) * page) / of, `page ${page} of ${of}`);
  });
  c.sink.write(0, bytes);
  const lacking = lettersLacking(
    document.steps.flatMap((step) => [step.title, step.caption, ...factsOf(step, s).map((f) => f.text)]),
  );
  return {
    type: "application/pdf",
    check: async () => [
      `${pages} pages`,
      ...said,
      ...(lacking.length > 0 ? [`${lacking.length} letters stand as boxes: ${lacking.slice(0, 12).join(" ")}`] : []),
    ],
  };
};

/** One step as it will stand on its sheet. */
export const lookAtSheet: Looker<SheetsSettings> = async (s, c, step) => {
  const { program, range } = c;
  const settings = { ...s, format: "html" as const, cover: false, contents: false, dpi: 110 as const };
  const steps = sheetSteps(program, range, s.moments);
  const one = steps.slice(step, step + 1);
  const { steps: drawn } = await drawnSteps(settings, c, one, () => {});
  const { sheetsHtml } = await import("../../formats/out/sheets/html");
  const document = { title: "", about: "", date: "", settings, steps: drawn, cover: null };
  return sheetsHtml(document, lettersOf(c, "woff2"), true);
};

/** Files of our font, for documents. */
const lettersOf =
  (c: Pick<MakeContext, "fileOf">, ending: "woff" | "woff2") =>
  async (set: LetterSet, weight: number): Promise<Uint8Array | null> => {
    const bytes = await c.fileOf(`letters ${letterFile(set, weight, ending)}`);
    if (!bytes && set === "latin") throw new Refusal("letters-missing");
    return bytes;
  };

interface Drawn {
  steps: DrawnStep[];
  cover: DrawnPicture | null;
  arrows: number;
  /** Numbers of steps in which something moves that has no arrow. */
  without: Set<number>;
}

/** The pictures of steps, and that of the cover: the end of all of it, without arrows. */
async function drawnSteps(
  s: SheetsSettings,
  c: LookContext,
  steps: readonly SheetStep[],
  tell: MakeContext["tell"],
): Promise<Drawn> {
  const { program, pkg, signal } = c;
  const preparation = structuredClone(c.preparation);
  if (s.look !== "") applyLook(s.look)(preparation);
  const what = { lines: s.style === "lines", arrows: s.arrows, measure: plainMeasure };
  const drawer = new SheetDrawer(program, pkg.geometries, lookNow(preparation), what);
  const bare = new SheetDrawer(program, pkg.geometries, lookNow(preparation), { ...what, arrows: false });
  const { width, height } = program.sequence.picture;
  const wide = Math.round((pictureWidth(s) / 72) * s.dpi);
  const size = { width: wide, height: Math.max(16, Math.round((wide * height) / width)) };
  const usual = { ...pictureDefaults(program), ...size, captions: "none" as const, look: s.look, titles: 0 };
  const shaded = s.style === "shaded" ? frameMaker(usual, c, size) : null;
  const jpegOf = async (ticks: number): Promise<Uint8Array | null> => {
    if (!shaded) return null;
    shaded.maker.draw(ticks);
    const blob = await shaded.canvas.convertToBlob({ type: "image/jpeg", quality: FINE });
    return new Uint8Array(await blob.arrayBuffer());
  };
  const out: Drawn = { steps: [], cover: null, arrows: 0, without: new Set() };
  const all = steps.reduce((sum, step) => sum + step.moments.length, 0);
  let done = 0;
  try {
    for (const step of steps) {
      const pictures: DrawnPicture[] = [];
      for (const moment of step.moments) {
        goOn(signal);
        const drawing = drawer.draw(step.at, moment.ticks);
        pictures.push({ ...moment, drawing, jpeg: await jpegOf(moment.ticks) });
        out.arrows += drawing.arrows.length;
        if (drawing.without > 0) out.without.add(step.number);
        done++;
        tell((PICTURES * done) / all, `picture ${done} of ${all}`);
      }
      out.steps.push({ ...step, pictures });
    }
    const last = steps[steps.length - 1];
    const end = last?.moments[last.moments.length - 1];
    if (s.cover && last && end)
      out.cover = { ticks: end.ticks, word: "", drawing: bare.draw(last.at, end.ticks), jpeg: await jpegOf(end.ticks) };
    return out;
  } finally {
    shaded?.maker.dispose();
  }
}
