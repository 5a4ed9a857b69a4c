import { z } from "zod";
import { TICKS_PER_SECOND } from "../time/time";
import { type OutputRemark, outputKind } from "./kind";

const FILES = {
  vtt: { ending: ".vtt", type: "text/vtt" },
  srt: { ending: ".srt", type: "application/x-subrip" },
} as const;

export const captions = outputKind<{ format: "vtt" | "srt"; words: "caption" | "title" }>({
  id: "captions",
  title: "Captions",
  about: "The captions as a file beside the video, for players that show them.",
  draws: false,
  schema: z.object({ format: z.enum(["vtt", "srt"]), words: z.enum(["caption", "title"]) }),
  defaults: () => ({ format: "vtt", words: "caption" }),
  fields: [
    {
      name: "words",
      label: "Holds",
      type: "choice",
      options: [
        { value: "caption", label: "the captions" },
        { value: "title", label: "titles of steps, as chapters" },
      ],
    },
    {
      name: "format",
      label: "Format",
      type: "choice",
      options: [
        { value: "vtt", label: "WebVTT: for web pages" },
        { value: "srt", label: "SRT: for players and editors" },
      ],
    },
  ],
  file: (s) => FILES[s.format],
  plan: (s, { program, range }) => {
    const texts = program.steps.ids.map((id) => program.sequence.steps[id]?.[s.words].trim() ?? "");
    return {
      ...{ width: 0, height: 0, frames: 0, seconds: (range.to - range.from) / TICKS_PER_SECOND },
      bytes: texts.reduce((sum, t) => sum + (t ? t.length + 36 : 0), 8),
    };
  },
  remarks: (s, { program }): OutputRemark[] =>
    program.steps.ids.some((id) => program.sequence.steps[id]?.[s.words].trim())
      ? []
      : [{ tone: "look", text: `No step has a ${s.words}, so that there will be nothing in it.` }],
});
