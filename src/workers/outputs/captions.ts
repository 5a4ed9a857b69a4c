import { captionsAsSrt, captionsAsVtt } from "../../formats/out/captions/webvtt";
import type { Maker } from "./maker";

/** The captions as a file of text. */
export const makeCaptions: Maker<{ format: "vtt" | "srt" }> = async (s, c) => {
  const text = (s.format === "vtt" ? captionsAsVtt : captionsAsSrt)(c.program, c.range);
  c.sink.write(0, new TextEncoder().encode(text));
  const count = text.split("-->").length - 1;
  return {
    type: s.format === "vtt" ? "text/vtt" : "application/x-subrip",
    check: async () => [`${count} ${count === 1 ? "caption" : "captions"}`],
  };
};
