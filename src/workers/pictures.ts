/** Small pictures of moments of a sequence, off the main thread. It keeps the scene of the assembly it was opened with. */
import { type Assembly, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import { lookNow } from "../core/edit/preparationCommands";
import { compile } from "../core/program/compile";
import { FrameMaker } from "../stage/frameMaker";

export type PicturesRequest =
  | { type: "open"; bytes: Uint8Array; assembly: Assembly }
  /** Takes the place of what was still waiting. Times in ticks of the sequence; sizes in pixels. */
  | { type: "draw"; preparation: Preparation; sequence: Sequence; width: number; height: number; wanted: { id: string; ticks: number }[] };
export type PicturesAnswer = { type: "picture"; id: string; blob: Blob } | { type: "failed"; message: string };

const post = (message: PicturesAnswer) => (self as unknown as Worker).postMessage(message);

/** A picture that takes longer is followed by a rest four times as long, but no longer than the other. */
const SLOW_MS = 60;
const REST_MOST_MS = 4000;

let pkg: AssemblyPackage | null = null;
let maker: { it: FrameMaker; canvas: OffscreenCanvas } | null = null;
let turn = 0;

self.onmessage = (event: MessageEvent<PicturesRequest>) => {
  const request = event.data;
  if (request.type === "open") {
    pkg = { ...decodePackage(request.bytes), assembly: request.assembly };
    return;
  }
  draw(request, ++turn).catch((error: unknown) => post({ type: "failed", message: error instanceof Error ? error.message : "The pictures could not be drawn." }));
};

async function draw(request: Extract<PicturesRequest, { type: "draw" }>, mine: number): Promise<void> {
  if (!pkg) throw new Error("No assembly is open.");
  const { width, height, preparation } = request;
  const program = compile(indexAssembly(pkg.assembly), preparation, request.sequence);
  const look = lookNow(preparation);
  if (!maker || maker.canvas.width !== width || maker.canvas.height !== height) {
    maker?.it.dispose();
    const canvas = new OffscreenCanvas(width, height);
    maker = { it: new FrameMaker(canvas, pkg, program, false, look, true), canvas };
  } else maker.it.setProgram(program, look);
  for (const { id, ticks } of request.wanted) {
    const began = performance.now();
    maker.it.draw(ticks);
    const blob = await maker.canvas.convertToBlob({ type: "image/webp", quality: 0.85 });
    if (mine !== turn) return;
    post({ type: "picture", id, blob });
    // Where drawing is slow the stage shares what draws; it is left to whoever works on it for most of the time.
    const took = performance.now() - began;
    if (took > SLOW_MS) await new Promise((r) => setTimeout(r, Math.min(REST_MOST_MS, 4 * took)));
    if (mine !== turn) return;
  }
}
