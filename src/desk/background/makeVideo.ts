import type { AnswerOf } from "../../workers/host";
import type { PublishedFilm, PublishWorker, VideoRequest } from "../../workers/publish";
import { askOnce } from "./workerClient";

const make = () => new Worker(new URL("../../workers/publish.ts", import.meta.url), { type: "module" });

/** Makes a video in a worker, so that a hidden tab does not stall it. Aborting ends it. @throws Refusal, AbortError */
export function makeVideo(
  request: VideoRequest,
  signal: AbortSignal,
  tell: (at: { frame: number; frames: number }) => void,
): Promise<AnswerOf<PublishWorker, "video">> {
  return askOnce<PublishWorker, "video">(make, "video", request, { signal, tell });
}

/** Captions of a part of a sequence (ticks) as WebVTT. @throws Refusal */
export function writeCaptions(film: PublishedFilm, range: { from: number; to: number }): Promise<string> {
  return askOnce<PublishWorker, "captions">(make, "captions", { ...film, range });
}
