/**
 * Renders a sequence frame by frame at exact times and encodes it, off the main thread, so a hidden tab does not
 * stall it.
 */
import { BufferTarget, CanvasSource, Mp4OutputFormat, Output } from "mediabunny";
import { type Assembly, indexAssembly } from "../core/assembly/assembly";
import { decodePackage } from "../core/assembly/package";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import { applyLook, lookNow } from "../core/edit/preparationCommands";
import { compile } from "../core/program/compile";
import { Refusal } from "../core/text/refusal";
import { type FrameRate, frameCount, TICKS_PER_SECOND, ticksPerFrame } from "../core/time/time";
import { captionsAsVtt } from "../formats/out/captions/webvtt";
import { FrameMaker } from "../stage/frameMaker";
import { type Asked, Handed, host } from "./host";

export interface VideoRequest extends PublishedFilm {
  /** The package as it came; `assembly` is that as it is prepared. */
  bytes: Uint8Array;
  /** The look it is made in; null for what the preparation shows. */
  look: string | null;
  width: number;
  height: number;
  rate: FrameRate;
  /** The part that is published, ticks. The frame at its end is not in it. */
  range: { from: number; to: number };
  bitsPerSecond: number;
  captions: boolean;
  /** Font files for captions, by family name. */
  fontUrl: string | null;
}
/** What a sequence is published of. */
export interface PublishedFilm {
  assembly: Assembly;
  preparation: Preparation;
  sequence: Sequence;
}

const handlers = {
  /** The captions of a part of the sequence (ticks) as WebVTT, counted from its beginning. */
  captions({
    assembly,
    preparation,
    sequence,
    range,
  }: PublishedFilm & { range: { from: number; to: number } }): string {
    return captionsAsVtt(compile(indexAssembly(assembly), preparation, sequence), range);
  },
  async video(
    r: VideoRequest,
    { tell }: Asked<{ frame: number; frames: number }>,
  ): Promise<Handed<{ bytes: ArrayBuffer; frames: number }>> {
    if (r.fontUrl) {
      const font = new FontFace("Captions", `url(${r.fontUrl})`);
      await font.load().then(
        // The types are the page's; a worker has its fonts at `self`.
        () => (self as unknown as { fonts: FontFaceSet }).fonts.add(font),
        () => {},
      );
    }
    const pkg = { ...decodePackage(r.bytes), assembly: r.assembly };
    const preparation = structuredClone(r.preparation);
    if (r.look !== null) applyLook(r.look)(preparation);
    const program = compile(indexAssembly(pkg.assembly), preparation, r.sequence);
    const canvas = new OffscreenCanvas(r.width, r.height);
    const maker = new FrameMaker(canvas, pkg, program, r.captions, lookNow(preparation));
    const output = new Output({ format: new Mp4OutputFormat({ fastStart: "in-memory" }), target: new BufferTarget() });
    const fps = r.rate.num / r.rate.den;
    const source = new CanvasSource(canvas, { codec: "avc", bitrate: r.bitsPerSecond, keyFrameInterval: 5 });
    output.addVideoTrack(source, { frameRate: fps });
    await output.start();
    const per = ticksPerFrame(r.rate);
    const frames = frameCount(r.range.to - r.range.from, r.rate);
    for (let f = 0; f < frames; f++) {
      maker.draw(r.range.from + f * per);
      await source.add((f * per) / TICKS_PER_SECOND, per / TICKS_PER_SECOND);
      tell({ frame: f + 1, frames });
    }
    await output.finalize();
    maker.dispose();
    const buffer = (output.target as BufferTarget).buffer;
    if (!buffer) throw new Refusal("encoder-empty");
    return new Handed({ bytes: buffer, frames }, [buffer]);
  },
};
export type PublishWorker = typeof handlers;

host(handlers);
