import type { SheetsSettings } from "../../../core/outputs/sheets";
import type { SheetMoment, SheetStep } from "../../../core/sheets/content";
import type { SheetPicture } from "../../../core/sheets/picture";

/** A picture of a step: what is drawn, over a shaded picture or by itself. */
export interface DrawnPicture extends SheetMoment {
  /** A JPEG; null for a line drawing. */
  jpeg: Uint8Array | null;
  drawing: SheetPicture;
}

export interface DrawnStep extends SheetStep {
  pictures: DrawnPicture[];
}

/** What step sheets are made from. */
export interface SheetDocument {
  title: string;
  /** A line below the title. */
  about: string;
  /** When it was made, in words. */
  date: string;
  settings: SheetsSettings;
  steps: DrawnStep[];
  /** What stands on the cover; null for none. */
  cover: DrawnPicture | null;
}

/** What a picture shows, for who cannot see it. */
export const altOf = (step: DrawnStep, picture: DrawnPicture): string =>
  `Step ${step.number}, ${step.title}${picture.word ? `, ${picture.word.toLowerCase()}` : ""}${
    picture.drawing.arrows.length > 0 ? `, with ${picture.drawing.arrows.length} arrows along what moves` : ""
  }`.replace("1 arrows", "1 arrow");

/** Parts of a step in one line. */
export const partsLine = (step: DrawnStep): string => step.parts.map((p) => `${p.quantity} × ${p.name}`).join(", ");

/** What stands below a step's pictures besides its caption, with what it is called; what is empty is left out. */
export function factsOf(step: DrawnStep, s: SheetsSettings): { label: string; text: string }[] {
  return [
    { label: "Parts", text: s.parts ? partsLine(step) : "" },
    { label: "Tools", text: s.tools ? step.tools.join(", ") : "" },
    { label: "Torque", text: s.tools ? step.torque.join("; ") : "" },
    { label: "Note", text: s.notes ? step.note : "" },
  ].filter((f) => f.text !== "");
}

/** All tools of all steps, each once. */
export function allTools(d: SheetDocument): string[] {
  const seen = new Set<string>();
  return d.settings.tools
    ? d.steps.flatMap((s) => s.tools.filter((t) => !seen.has(t.toLowerCase()) && seen.add(t.toLowerCase())))
    : [];
}

/** What stands at the foot of each page between title and page number. */
export const footOf = (d: SheetDocument): string =>
  [d.settings.revision.trim() ? `Revision ${d.settings.revision.trim()}` : "", d.date].filter(Boolean).join(" · ");

/** Name of the place of a step in a document. */
export const placeOf = (step: { number: number }): string => `step-${step.number}`;
