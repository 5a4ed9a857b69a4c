/**
 * Looks at the film while it is worked on, off the main thread: what is in the picture, where the camera jerks, what
 * covers what, and small pictures of moments. It keeps the assembly it was opened with, and the film it compiled last.
 */
import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import { type AbruptPlace, abruptPlaces } from "../core/checks/abrupt";
import { Cover, coversOf } from "../core/checks/cover";
import { checkFraming, type StepFraming } from "../core/checks/framing";
import { FilmHeld, type FilmSent } from "../core/edit/film";
import { lookNow } from "../core/edit/preparationCommands";
import type { Program } from "../core/program/program";
import { FrameMaker } from "../stage/frameMaker";
import { type Asked, host } from "./host";

let open: { pkg: AssemblyPackage; index: AssemblyIndex } | null = null;
// Pictures are still drawn of the film before while the next one comes.
const held = new FilmHeld(false);
let maker: { it: FrameMaker; canvas: OffscreenCanvas } | null = null;

/** A picture that takes longer is followed by a rest four times as long, but no longer than the other. */
const SLOW_MS = 60;
const REST_MOST_MS = 4000;

const handlers = {
  open({ bytes, assembly }: { bytes: Uint8Array; assembly: Assembly }): void {
    open = { pkg: { ...decodePackage(bytes), assembly }, index: indexAssembly(assembly) };
    held.forget();
  },
  film: (sent: FilmSent): void => held.take(sent),
  /** Where the camera's motion jumps, worst first. */
  abrupt(film: string): AbruptPlace[] {
    return abruptPlaces(programOf(film));
  },
  /** Whether what acts is in the picture, for each step. */
  framing(film: string): StepFraming[] {
    const program = programOf(film);
    const cover = coverOf(film, program);
    return checkFraming(program, opened().pkg.geometries, { cast: (...a) => cover.first(...a) });
  },
  /** What stands before nodes between two times, ticks of the sequence. */
  covers({ film, nodes, t0, t1 }: { film: string; nodes: number[]; t0: number; t1: number }): number[] {
    const program = programOf(film);
    return coversOf(coverOf(film, program), program, opened().pkg.geometries, nodes, t0, t1);
  },
  /** Draws moments of a film, each told as it is made; sizes in pixels. */
  async pictures(
    {
      film,
      wanted,
      width,
      height,
    }: { film: string; wanted: { id: string; ticks: number }[]; width: number; height: number },
    { tell, signal }: Asked<{ id: string; blob: Blob }>,
  ): Promise<void> {
    const program = programOf(film);
    const look = lookNow(held.named(film).preparation);
    if (!maker || maker.canvas.width !== width || maker.canvas.height !== height) {
      maker?.it.dispose();
      const canvas = new OffscreenCanvas(width, height);
      maker = { it: new FrameMaker(canvas, opened().pkg, program, look, { plain: true }), canvas };
    } else maker.it.setProgram(program, look);
    for (const { id, ticks } of wanted) {
      const began = performance.now();
      maker.it.draw(ticks);
      const blob = await maker.canvas.convertToBlob({ type: "image/webp", quality: 0.85 });
      if (signal.aborted) return;
      tell({ id, blob });
      // Where drawing is slow the stage shares what draws; it is left to whoever works on it for most of the time.
      const took = performance.now() - began;
      if (took > SLOW_MS) await new Promise((r) => setTimeout(r, Math.min(REST_MOST_MS, 4 * took)));
      if (signal.aborted) return;
    }
  },
};
export type WatchWorker = typeof handlers;

function opened(): NonNullable<typeof open> {
  if (!open) throw new Error("No assembly is open.");
  return open;
}

const programOf = (film: string): Program => held.program(opened().index, film);

function coverOf(film: string, program: Program): Cover {
  const { pkg, index } = opened();
  const looks = lookNow(held.named(film).preparation).nodes;
  const through = index.assembly.nodes.map((n) => {
    const look = looks[n.key];
    return Boolean(look?.ghost) || (look?.finish?.opacity ?? 1) < 0.7;
  });
  return new Cover(program, pkg.geometries, (n) => through[n] === true);
}

host(handlers);
