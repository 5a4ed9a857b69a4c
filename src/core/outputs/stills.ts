import { z } from "zod";
import { frameCount, TICKS_PER_SECOND } from "../time/time";
import { type OutputContext, type OutputRemark, outputKind } from "./kind";
import {
  CAPTION_FIELDS,
  PICTURE_FIELDS,
  type PictureSettings,
  pictureDefaults,
  pictureRemarks,
  pictureShape,
} from "./picture";
import { rateOf, rateRemarks, rateShape } from "./video";

const IMAGES = {
  png: { ending: ".png", type: "image/png" },
  jpeg: { ending: ".jpg", type: "image/jpeg" },
} as const;

const imageShape = {
  ...pictureShape,
  image: z.enum(["png", "jpeg"]),
  /** Of JPEG, 0 to 1. */
  quality: z.number().min(0.1).max(1),
  /** Nothing behind the parts; PNG only. */
  clear: z.boolean(),
};
interface ImageSettings extends PictureSettings {
  image: "png" | "jpeg";
  quality: number;
  clear: boolean;
}
const IMAGE_FIELDS = [
  {
    name: "image",
    label: "Format",
    type: "choice",
    options: [
      { value: "png", label: "PNG: exact" },
      { value: "jpeg", label: "JPEG: small" },
    ],
  },
  {
    name: "quality",
    label: "Quality",
    type: "number",
    min: 0.1,
    max: 1,
    step: 0.05,
    when: (s: Readonly<Record<string, unknown>>) => s.image === "jpeg",
  },
  {
    name: "clear",
    label: "Clear background",
    type: "switch",
    hint: "Only the parts, without ground and shadow on it",
    when: (s: Readonly<Record<string, unknown>>) => s.image === "png",
  },
] as const;
const imageDefaults = { image: "png", quality: 0.92, clear: false } as const;
/** Bytes a pixel, about. */
const bytesOf = (s: ImageSettings): number => s.width * s.height * (s.image === "png" ? 0.55 : 0.22 * s.quality);

export const still = outputKind<ImageSettings & { at: number }>({
  id: "still",
  title: "Still",
  about: "One picture, for a manual or a slide.",
  draws: true,
  schema: z.object({ ...imageShape, at: z.number().min(0) }),
  defaults: (program) => ({ ...pictureDefaults(program), ...imageDefaults, at: 0 }),
  fields: [
    { name: "at", label: "Moment after the beginning", type: "number", unit: "s", min: 0, step: 0.1 },
    ...IMAGE_FIELDS,
    ...PICTURE_FIELDS,
    ...CAPTION_FIELDS,
  ],
  file: (s) => IMAGES[s.image],
  plan: (s) => ({ width: s.width, height: s.height, frames: 1, seconds: 0, bytes: bytesOf(s) }),
  remarks: (s, c) => [...pictureRemarks(s, c.looks), ...beyondRemarks(s.at, c)],
});

/** A moment after the part's end shows its last. */
function beyondRemarks(at: number, { range }: OutputContext): OutputRemark[] {
  const length = (range.to - range.from) / TICKS_PER_SECOND;
  if (at < length) return [];
  return [{ tone: "look", text: `The part lasts ${length.toFixed(1)} s: the picture will be of its last moment.` }];
}

export const frames = outputKind<ImageSettings & { rateNum: number; rateDen: number }>({
  id: "frames",
  title: "Numbered frames",
  about: "Every frame as a picture, in a zip: for cutting elsewhere.",
  draws: true,
  schema: z.object({
    ...imageShape,
    ...rateShape,
  }),
  defaults: (program) => ({
    ...pictureDefaults(program),
    ...imageDefaults,
    ...{ captions: "none", rateNum: program.sequence.rate.num, rateDen: program.sequence.rate.den },
  }),
  fields: [...IMAGE_FIELDS, ...PICTURE_FIELDS, { name: "rate", label: "Frame rate", type: "rate" }, ...CAPTION_FIELDS],
  file: () => ({ ending: ".zip", type: "application/zip" }),
  plan: (s, c) => {
    const count = frameCount(c.range.to - c.range.from, rateOf(s));
    const seconds = (count * s.rateDen) / s.rateNum;
    return { width: s.width, height: s.height, frames: count, seconds, bytes: count * bytesOf(s) };
  },
  remarks: (s, c) => [...pictureRemarks(s, c.looks), ...rateRemarks(s)],
});
