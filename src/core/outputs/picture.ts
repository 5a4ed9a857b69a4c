import { z } from "zod";
import type { Program } from "../program/program";
import type { OutputField, OutputRemark } from "./kind";

/** Largest picture that is drawn in one piece, pixels a side. */
export const PICTURE_MAX = 8192;

/** Settings that everything drawn has in common. */
export const pictureShape = {
  width: z.int("Pixels are whole numbers.").min(16).max(PICTURE_MAX),
  height: z.int("Pixels are whole numbers.").min(16).max(PICTURE_MAX),
  /** Where the shape is not the sequence's: bars beside the picture, or more or less is seen. */
  shape: z.enum(["bars", "fill"]),
  /** Side of the square of samples that make a pixel, drawn larger and made smaller. */
  fineness: z.int().min(1).max(4),
  captions: z.enum(["panel", "outline", "none"]),
  /** Of the captions against the usual size. */
  captionSize: z.number().min(0.5).max(3),
  captionPlace: z.enum(["bottom", "top"]),
  /** For how long the title of each step stands when it begins, s; 0 for none. */
  titles: z.number().min(0).max(60),
  /** Id of the look that it is made in; "" for the one that the desk shows. */
  look: z.string().max(40),
};

export interface PictureSettings {
  width: number;
  height: number;
  shape: "bars" | "fill";
  fineness: number;
  captions: "panel" | "outline" | "none";
  captionSize: number;
  captionPlace: "bottom" | "top";
  titles: number;
  look: string;
}

export const pictureDefaults = ({ sequence }: Program): PictureSettings => ({
  width: sequence.picture.width,
  height: sequence.picture.height,
  shape: "bars",
  fineness: 1,
  captions: "panel",
  captionSize: 1,
  captionPlace: "bottom",
  titles: 0,
  look: "",
});

/**
 * A size typed as a share of the sequence's picture: "50%" or "150 %". Width and height go together, so that the shape
 * stays. Null for what is no share.
 */
export function shareOfPicture(
  text: string,
  { sequence }: Program,
): { size: { width: number; height: number } } | { error: string } | null {
  const [, number] = /^\s*(\d+(?:[.,]\d+)?)\s*%\s*$/.exec(text) ?? [];
  if (number === undefined) return null;
  const share = Number(number.replace(",", ".")) / 100;
  const { width, height } = sequence.picture;
  const size = { width: Math.round(width * share), height: Math.round(height * share) };
  if (Math.min(size.width, size.height) < 16)
    return { error: `That is ${size.width} × ${size.height}; at least 16 pixels a side.` };
  if (Math.max(size.width, size.height) > PICTURE_MAX)
    return { error: `That is ${size.width} × ${size.height}; at most ${PICTURE_MAX} pixels a side.` };
  return { size };
}

/** Whether a size has another shape than the sequence's picture, by more than a pixel. */
export function otherShape(s: Pick<PictureSettings, "width" | "height">, { sequence }: Program): boolean {
  const { width, height } = sequence.picture;
  return Math.abs(s.height - (s.width * height) / width) > 1 && Math.abs(s.width - (s.height * width) / height) > 1;
}

/** Where the picture stands in an output of a size: all of it, or with bars beside it. Whole pixels. */
export function pictureIn(
  s: Pick<PictureSettings, "width" | "height" | "shape">,
  { sequence }: Program,
): { left: number; top: number; width: number; height: number } {
  if (s.shape === "fill" || !otherShape(s, { sequence } as Program))
    return { left: 0, top: 0, width: s.width, height: s.height };
  const { width, height } = sequence.picture;
  const scale = Math.min(s.width / width, s.height / height);
  const [w, h] = [Math.round(width * scale), Math.round(height * scale)];
  return { left: Math.floor((s.width - w) / 2), top: Math.floor((s.height - h) / 2), width: w, height: h };
}

export const CAPTION_FIELDS: readonly OutputField[] = [
  {
    name: "captions",
    label: "Captions",
    type: "choice",
    options: [
      { value: "panel", label: "in the picture, on a plate" },
      { value: "outline", label: "in the picture, outlined" },
      { value: "none", label: "not in the picture" },
    ],
  },
  {
    name: "captionSize",
    label: "Size of captions",
    type: "number",
    min: 0.5,
    max: 3,
    step: 0.1,
    hint: "1 is as on the desk",
    when: (s) => s.captions !== "none",
  },
  {
    name: "captionPlace",
    label: "Captions stand",
    type: "choice",
    options: [
      { value: "bottom", label: "at the bottom" },
      { value: "top", label: "at the top" },
    ],
    when: (s) => s.captions !== "none",
  },
  {
    name: "titles",
    label: "Titles of steps for",
    type: "number",
    unit: "s",
    min: 0,
    max: 60,
    step: 0.5,
    hint: "Number and title stand in a corner while a step begins; 0 for none. Times stay as they are",
  },
];

const SHARE = "Or a share of the sequence's picture, such as 50%: then both change";

export const PICTURE_FIELDS: readonly OutputField[] = [
  { name: "width", label: "Width", type: "whole", unit: "px", min: 16, max: PICTURE_MAX, hint: SHARE },
  { name: "height", label: "Height", type: "whole", unit: "px", min: 16, max: PICTURE_MAX, hint: SHARE },
  {
    name: "shape",
    label: "Another shape",
    type: "choice",
    options: [
      { value: "bars", label: "with bars beside it" },
      { value: "fill", label: "shows more or less" },
    ],
    hint: "Where width and height have another shape than the sequence's picture",
  },
  {
    name: "fineness",
    label: "Edges",
    type: "choice",
    options: [
      { value: 1, label: "as drawn" },
      { value: 2, label: "fine (4 samples a pixel)" },
      { value: 3, label: "very fine (9 samples)" },
    ],
  },
  { name: "look", label: "Look", type: "look" },
];

/** What is wrong with a picture's settings whatever is made of it. */
export function pictureRemarks(
  s: PictureSettings & { blur?: number },
  looks: Readonly<Record<string, unknown>>,
): OutputRemark[] {
  const out: OutputRemark[] = [];
  if (s.look !== "" && !looks[s.look])
    out.push({ tone: "wrong", text: "Its look is gone. Choose another, or the one that the desk shows." });
  // What is blurred is drawn in one piece; everything else in as many as it takes.
  if ((s.blur ?? 1) > 1 && Math.max(s.width, s.height) * s.fineness > PICTURE_MAX)
    out.push({
      tone: "wrong",
      text: `Drawn ${s.fineness} times as large and blurred it would be more than ${PICTURE_MAX} pixels. Choose coarser edges, a smaller size, or no blur.`,
    });
  return out;
}
