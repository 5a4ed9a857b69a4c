/** Renders a sequence frame by frame at exact times and encodes it, off the main thread, so a hidden tab does not stall it. */
import { BufferTarget, CanvasSource, Mp4OutputFormat, Output } from "mediabunny";
import { indexAssembly } from "../core/assembly/assembly";
import { decodePackage } from "../core/assembly/package";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import { applyLook, lookNow } from "../core/edit/preparationCommands";
import { compile } from "../core/program/compile";
import { type FrameRate, frameCount, TICKS_PER_SECOND, ticksPerFrame } from "../core/time/time";
import { FrameMaker } from "../stage/frameMaker";

export interface PublishRequest {
  /** Package bytes; transferred. */
  bytes: ArrayBuffer;
  preparation: Preparation;
  /** The look it is made in; null for what the preparation shows. */
  look: string | null;
  sequence: Sequence;
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
export type PublishMessage = { type: "progress"; frame: number; frames: number } | { type: "done"; bytes: ArrayBuffer; frames: number } | { type: "failed"; message: string };

const post = (message: PublishMessage, transfer: Transferable[] = []) => (self as unknown as Worker).postMessage(message, transfer);

self.onmessage = async (event: MessageEvent<PublishRequest>) => {
  try {
    await publish(event.data);
  } catch (error) {
    post({ type: "failed", message: error instanceof Error ? error.message : "The video could not be made." });
  }
};

async function publish(r: PublishRequest): Promise<void> {
  if (r.fontUrl) {
    const font = new FontFace("Captions", `url(${r.fontUrl})`);
    await font.load().then(
      () => (self as unknown as { fonts: FontFaceSet }).fonts.add(font),
      () => {},
    );
  }
  const pkg = decodePackage(new Uint8Array(r.bytes));
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
    post({ type: "progress", frame: f + 1, frames });
  }
  await output.finalize();
  maker.dispose();
  const buffer = (output.target as BufferTarget).buffer;
  if (!buffer) throw new Error("The encoder gave no file.");
  post({ type: "done", bytes: buffer, frames }, [buffer]);
}
