/**
 * Proofs the film off the main thread. It keeps the assembly it was opened with, and what it found in each step by
 * what the step depends on, so that an edit is proofed again only where it counts.
 */
import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import type { Preparation } from "../core/document/preparation";
import { FilmHeld, type FilmSent } from "../core/edit/film";
import { type Proof, ProofMemory, proving } from "../core/proof/proof";
import { Shapes } from "../core/proof/shapes";
import { type Asked, host } from "./host";
import { paced } from "./paced";

let open: { pkg: AssemblyPackage; index: AssemblyIndex; shapes: Shapes } | null = null;
const film = new FilmHeld(true);
/** What was found under a preparation: another one changes what things are, and all is looked at anew. */
let memory: { of: Preparation; it: ProofMemory } | null = null;

/** Worked at a stretch before a cancel is looked for, ms. */
const STRETCH_MS = 24;

const handlers = {
  open({ bytes, assembly }: { bytes: Uint8Array; assembly: Assembly }): void {
    const pkg = { ...decodePackage(bytes), assembly };
    const index = indexAssembly(assembly);
    open = { pkg, index, shapes: new Shapes(index, pkg.geometries) };
    film.forget();
    memory = null;
  },
  film: (sent: FilmSent): void => film.take(sent),
  /** What is found in the film that was sent; tells the share done. */
  async prove(name: string, { tell, signal }: Asked<number>): Promise<Proof> {
    if (!open) throw new Error("No assembly is open.");
    const { preparation } = film.named(name);
    if (memory?.of !== preparation) memory = { of: preparation, it: new ProofMemory() };
    const program = film.program(open.index, name);
    const going = proving(program, { shapes: open.shapes, memory: memory.it, chosen: preparation.proof });
    const telling = paced(tell);
    for (;;) {
      const until = performance.now() + STRETCH_MS;
      while (performance.now() < until) {
        const next = going.next();
        if (next.done) return next.value;
        telling(next.value);
      }
      await new Promise((r) => setTimeout(r));
      if (signal.aborted) {
        going.return({ findings: [], unjudged: [] });
        throw new DOMException("stopped", "AbortError");
      }
    }
  },
};
export type ProofWorker = typeof handlers;

host(handlers);
