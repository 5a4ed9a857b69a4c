import { captionsAsSrt, captionsAsVtt, type Words } from "../../formats/out/captions/webvtt";
import type { Maker } from "./maker";

/** The captions as a file of text. */
export const makeCaptions: Maker<{ format: "vtt" | "srt"; words: Words }> = async (s, c) => {
  const text = (s.format === "vtt" ? captionsAsVtt : captionsAsSrt)(c.program, c.range, s.words);
  c.sink.write(0, new TextEncoder().encode(text));
  const [one, more] = s.words === "title" ? ["chapter", "chapters"] : ["caption", "captions"];
  const count = text.split("-->").length - 1;
  return {
    type: s.format === "vtt" ? "text/vtt" : "application/x-subrip",
    check: async () => [`${count} ${count === 1 ? one : more}`],
  };
};
