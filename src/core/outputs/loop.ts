import { z } from "zod";
import { frameCount } from "../time/time";
import { type OutputRemark, outputKind } from "./kind";
import {
  CAPTION_FIELDS,
  PICTURE_FIELDS,
  type PictureSettings,
  pictureDefaults,
  pictureRemarks,
  pictureShape,
} from "./picture";
import { rateOf, rateShape } from "./video";

const LOOP_FORMATS = {
  gif: { ending: ".gif", type: "image/gif", label: "GIF: everywhere", unit: 100, bytes: 0.12 },
  webp: { ending: ".webp", type: "image/webp", label: "WebP: smaller and finer", unit: 1000, bytes: 0.05 },
} as const;

const loopSchema = z.object({
  ...pictureShape,
  format: z.enum(["gif", "webp"]),
  ...rateShape,
  /** Of a GIF, for the whole of it. */
  colours: z.int().min(8).max(255),
  /** A fine grain in place of bands, of a GIF. */
  grain: z.boolean(),
  /** Of WebP, 0 to 1. */
  quality: z.number().min(0.1).max(1),
  /** How often it plays; 0 for ever. */
  times: z.int().min(0).max(1000),
});
export type LoopSettings = z.infer<typeof loopSchema> & PictureSettings;

/** Pictures that browsers show shorter than this they show for a tenth of a second, s. */
const SHORTEST = 0.02;

/**
 * When frames begin, in units of the format (hundredths of a second for GIF, thousandths for WebP): each rounded by
 * itself, so that no error adds up. One more than there are frames.
 */
export function loopTimes(s: Pick<LoopSettings, "format" | "rateNum" | "rateDen">, frames: number): Float64Array {
  const { unit } = LOOP_FORMATS[s.format];
  return Float64Array.from({ length: frames + 1 }, (_, n) => Math.round((n * s.rateDen * unit) / s.rateNum));
}

export const loop = outputKind<LoopSettings>({
  id: "loop",
  title: "Loop",
  about: "A picture that moves, for web pages and mails: no player needed.",
  draws: true,
  schema: loopSchema,
  defaults: (program) => {
    const usual = pictureDefaults(program);
    const scale = Math.min(1, 480 / usual.width);
    const [width, height] = [Math.round(usual.width * scale), Math.round(usual.height * scale)];
    return {
      ...{ ...usual, width: Math.max(16, width), height: Math.max(16, height) },
      ...{ format: "gif", rateNum: 20, rateDen: 1, colours: 255, grain: true, quality: 0.8, times: 0 },
    };
  },
  fields: [
    {
      name: "format",
      label: "Format",
      type: "choice",
      options: Object.entries(LOOP_FORMATS).map(([value, f]) => ({ value, label: f.label })),
    },
    ...PICTURE_FIELDS,
    { name: "rate", label: "Frame rate", type: "rate" },
    {
      name: "colours",
      label: "Colours",
      type: "whole",
      min: 8,
      max: 255,
      hint: "One palette for all of it, so that nothing flickers",
      when: (s) => s.format === "gif",
    },
    {
      name: "grain",
      label: "Grain against bands",
      type: "switch",
      hint: "Hides the steps between few colours; larger files",
      when: (s) => s.format === "gif",
    },
    {
      name: "quality",
      label: "Quality",
      type: "number",
      min: 0.1,
      max: 1,
      step: 0.05,
      when: (s) => s.format === "webp",
    },
    { name: "times", label: "Plays", type: "whole", unit: "times", min: 0, max: 1000, hint: "0: again and again" },
    ...CAPTION_FIELDS,
  ],
  file: (s) => LOOP_FORMATS[s.format],
  plan: (s, c) => {
    const frames = frameCount(c.range.to - c.range.from, rateOf(s));
    const seconds = (frames * s.rateDen) / s.rateNum;
    const { width, height } = s;
    return { width, height, frames, seconds, bytes: width * height * frames * LOOP_FORMATS[s.format].bytes };
  },
  remarks: (s, c) => [...pictureRemarks(s, c.looks), ...loopRemarks(s)],
});

function loopRemarks(s: LoopSettings): OutputRemark[] {
  const takes = s.rateDen / s.rateNum;
  if (takes < SHORTEST - 1e-9)
    return [{ tone: "wrong", text: "No browser shows more than 50 frames a second of it. Choose 50 or less." }];
  return [];
}
