import { z } from "zod";
import { placedSounds } from "../sound/schedule";
import type { FrameRate } from "../time/time";
import { formatSecondsShort, frameCount, TICKS_PER_SECOND } from "../time/time";
import { type OutputContext, type OutputRemark, outputKind } from "./kind";
import {
  CAPTION_FIELDS,
  PICTURE_FIELDS,
  type PictureSettings,
  pictureDefaults,
  pictureRemarks,
  pictureShape,
} from "./picture";

/** Containers with what they are encoded by. */
export const VIDEO_FORMATS = {
  "mp4-h264": { codec: "avc", sound: "aac", ending: ".mp4", type: "video/mp4", label: "MP4 (H.264)" },
  "webm-vp9": { codec: "vp9", sound: "opus", ending: ".webm", type: "video/webm", label: "WebM (VP9)" },
  "webm-av1": { codec: "av1", sound: "opus", ending: ".webm", type: "video/webm", label: "WebM (AV1)" },
} as const;

const MOST_RATE = 240;
/** A frame rate as a setting: so many frames in so many seconds. */
export const rateShape = { rateNum: z.int().min(1).max(240_000), rateDen: z.int().min(1).max(1001) };

export const videoSchema = z.object({
  ...pictureShape,
  format: z.enum(["mp4-h264", "webm-vp9", "webm-av1"]),
  ...rateShape,
  /** Bits a pixel and frame of motion. */
  quality: z.number().min(0.01).max(2),
  /** Megabits a second of picture, in place of the quality; 0 goes by the quality. */
  mbit: z.number().min(0).max(400),
  /** Moments of a frame that are laid over one another; 1 is none. */
  blur: z.int().min(1).max(64),
  /** How long of a frame the shutter is open, degrees of 360. */
  shutter: z.number().min(1).max(360),
  /** Longest stretch of motion without a key frame, s. */
  keyEvery: z.number().min(0.2).max(60),
  /** Whether players are told where each step begins, of MP4. */
  chapters: z.boolean(),
  /** Kilobits a second of sound; 0 makes a silent film. */
  sound: z.int().min(0).max(320),
});
export type VideoSettings = z.infer<typeof videoSchema> & PictureSettings;

export const rateOf = (s: Pick<VideoSettings, "rateNum" | "rateDen">): FrameRate => ({
  num: s.rateNum,
  den: s.rateDen,
});

/** Sizes that encoders take are even; the odd row or column is left out. */
export const evenSize = (s: Pick<PictureSettings, "width" | "height">): { width: number; height: number } => ({
  width: s.width - (s.width % 2),
  height: s.height - (s.height % 2),
});

/** Bits a second of picture that are aimed at. */
export function bitrateOf(
  s: Pick<VideoSettings, "width" | "height" | "rateNum" | "rateDen" | "quality" | "mbit">,
): number {
  if (s.mbit > 0) return Math.round(s.mbit * 1e6);
  const { width, height } = evenSize(s);
  return Math.max(20_000, Math.round((width * height * s.rateNum * s.quality) / s.rateDen));
}

export const video = outputKind<VideoSettings>({
  id: "video",
  title: "Video",
  about: "The sequence as a film, frame for frame.",
  draws: true,
  schema: videoSchema,
  defaults: (program) => ({
    ...pictureDefaults(program),
    ...{ format: "mp4-h264", rateNum: program.sequence.rate.num, rateDen: program.sequence.rate.den },
    ...{ quality: 0.12, mbit: 0, blur: 1, shutter: 180, keyEvery: 4, chapters: true, sound: 128 },
  }),
  fields: [
    {
      name: "format",
      label: "Format",
      type: "choice",
      options: Object.entries(VIDEO_FORMATS).map(([value, f]) => ({ value, label: f.label })),
      hint: "MP4 plays everywhere; VP9 is smaller, AV1 smallest and slow to make",
    },
    ...PICTURE_FIELDS,
    { name: "rate", label: "Frame rate", type: "rate" },
    {
      name: "quality",
      label: "Quality",
      type: "choice",
      options: [
        { value: 0.06, label: "Small file" },
        { value: 0.12, label: "Good" },
        { value: 0.24, label: "Best" },
      ],
    },
    {
      name: "mbit",
      label: "Bit rate",
      type: "number",
      unit: "Mbit/s",
      min: 0,
      max: 400,
      step: 0.5,
      hint: "0: by the quality. Else the file keeps to it, which some platforms ask for",
    },
    {
      name: "blur",
      label: "Motion blur",
      type: "choice",
      options: [
        { value: 1, label: "none" },
        { value: 4, label: "4 moments a frame" },
        { value: 8, label: "8 moments" },
        { value: 16, label: "16 moments" },
        { value: 32, label: "32 moments" },
        { value: 64, label: "64 moments" },
      ],
      hint: "Each is drawn, so that the film takes so many times as long to make where something moves",
    },
    {
      name: "shutter",
      label: "Shutter open",
      type: "number",
      unit: "°",
      min: 1,
      max: 360,
      hint: "360 is all of a frame",
      when: (s) => s.blur !== 1,
    },
    {
      name: "keyEvery",
      label: "Key frame at least every",
      type: "number",
      unit: "s",
      min: 0.2,
      max: 60,
      step: 0.5,
      hint: "While something moves; a still keeps the picture it begins with",
    },
    {
      name: "sound",
      label: "Sound",
      type: "choice",
      options: [
        { value: 0, label: "none" },
        { value: 96, label: "96 kbit/s" },
        { value: 128, label: "128 kbit/s" },
        { value: 192, label: "192 kbit/s" },
      ],
      hint: "Narration and music, where the sequence has any: AAC in MP4, Opus in WebM",
    },
    {
      name: "chapters",
      label: "Steps as chapters",
      type: "switch",
      hint: "Players that show chapters jump from step to step",
    },
    ...CAPTION_FIELDS,
  ],
  file: (s) => VIDEO_FORMATS[s.format],
  plan: (s, c) => {
    const frames = frameCount(c.range.to - c.range.from, rateOf(s));
    const seconds = (frames * s.rateDen) / s.rateNum;
    const { width, height } = evenSize(s);
    const sound = hears(s, c) ? (seconds * 1000 * s.sound) / 8 : 0;
    return { width, height, frames, seconds, bytes: (seconds * bitrateOf(s)) / 8 + sound };
  },
  remarks: (s, c) => [
    ...pictureRemarks(s, c.looks),
    ...rateRemarks(s),
    ...sizeRemarks(s),
    ...endRemarks(c),
    ...soundRemarks(s, c),
  ],
});

export function rateRemarks(s: Pick<VideoSettings, "rateNum" | "rateDen">): OutputRemark[] {
  const rate = s.rateNum / s.rateDen;
  if (rate > MOST_RATE)
    return [{ tone: "wrong", text: `No player shows more than ${MOST_RATE} frames a second. Choose less.` }];
  if (rate < 24)
    return [{ tone: "look", text: "Under 24 frames a second motion is choppy. Choose 24 or more for what moves." }];
  return [];
}

/** Where each step begins in the part that is made, s, with its title. */
export function chaptersOf({
  program,
  range,
}: Pick<OutputContext, "program" | "range">): { at: number; title: string }[] {
  return program.steps.ids.flatMap((id, i) => {
    const at = Math.max(0, (program.steps.start[i] as number) - range.from) / TICKS_PER_SECOND;
    const inside = (program.steps.end[i] as number) > range.from && (program.steps.start[i] as number) < range.to;
    return inside ? [{ at, title: program.sequence.steps[id]?.title || `Step ${i + 1}` }] : [];
  });
}

/** Whether anything is heard in the part that is made. */
export const hears = (s: Pick<VideoSettings, "sound">, { program, range }: OutputContext): boolean =>
  s.sound > 0 && placedSounds(program.sequence, program.steps).some((p) => p.end > range.from && p.start < range.to);

/** Sounds that the end of the sequence cuts off. */
function soundRemarks(s: VideoSettings, c: OutputContext): OutputRemark[] {
  if (!hears(s, c)) return [];
  const { program, range } = c;
  return placedSounds(program.sequence, program.steps)
    .filter((p) => p.end + p.lost > range.to && p.start < range.to && p.sound.role === "voice")
    .map((p) => ({
      tone: "look",
      text: `"${p.sound.name}" is cut off after ${formatSecondsShort(range.to - p.start)} s by the end of the film. Lengthen the still of its step.`,
    }));
}

function sizeRemarks(s: VideoSettings): OutputRemark[] {
  const { width, height } = evenSize(s);
  if (width === s.width && height === s.height) return [];
  return [{ tone: "look", text: `Encoders need even sizes: ${width} × ${height} will be made.` }];
}

/** Without a still at the end the last pose is in no frame: a frame shows the moment at which it begins. */
function endRemarks({ program, range }: OutputContext): OutputRemark[] {
  const last = program.steps.ids.findIndex((_, i) => (program.steps.end[i] as number) >= range.to - 1);
  const step = program.sequence.steps[program.steps.ids[last] ?? ""];
  if (!step || step.stillAfter > 0 || range.to < program.steps.length - 1) return [];
  const frame = TICKS_PER_SECOND / 24;
  if (step.action < frame) return [];
  return [
    {
      tone: "look",
      text: "It ends with motion and no still, so that the very last pose is in no frame: right for a loop, otherwise give the last step a still.",
    },
  ];
}
