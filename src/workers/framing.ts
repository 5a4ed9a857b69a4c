/** Looks after the picture's framing, off the main thread. It keeps the geometry of the assembly it was opened with. */
import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import { type AbruptPlace, abruptPlaces } from "../core/camera/abrupt";
import { Cover, coversOf } from "../core/camera/cover";
import { checkFraming, type StepFraming } from "../core/camera/framing";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import { lookNow } from "../core/edit/preparationCommands";
import { compile } from "../core/program/compile";

export type FramingRequest =
  | { type: "open"; bytes: Uint8Array; assembly: Assembly }
  | { type: "check"; turn: number; preparation: Preparation; sequence: Sequence }
  /** What stands before nodes between two times, ticks of the sequence. */
  | { type: "covers"; preparation: Preparation; sequence: Sequence; nodes: number[]; t0: number; t1: number };
export type FramingAnswer =
  | { type: "abrupt"; turn: number; places: AbruptPlace[] }
  | { type: "covers"; nodes: number[] }
  | { type: "framing"; turn: number; steps: StepFraming[] }
  | { type: "failed"; message: string };

const post = (message: FramingAnswer) => (self as unknown as Worker).postMessage(message);

let open: { pkg: AssemblyPackage; index: AssemblyIndex } | null = null;

let waiting: Extract<FramingRequest, { type: "check" }> | null = null;

self.onmessage = (event: MessageEvent<FramingRequest>) => {
  const request = event.data;
  if (request.type !== "check") {
    told(() => answer(request));
    return;
  }
  // Checks that piled up while one was made are one: only the last is worth an answer.
  if (!waiting) setTimeout(check);
  waiting = request;
};

function check(): void {
  const request = waiting;
  waiting = null;
  if (request) told(() => answer(request));
}

function told(work: () => void): void {
  try {
    work();
  } catch (error) {
    post({ type: "failed", message: error instanceof Error ? error.message : "The framing could not be checked." });
  }
}

function answer(request: FramingRequest): void {
  if (request.type === "open") {
    const pkg = { ...decodePackage(request.bytes), assembly: request.assembly };
    open = { pkg, index: indexAssembly(pkg.assembly) };
    return;
  }
  if (!open) throw new Error("No assembly is open.");
  const { pkg, index } = open;
  const program = compile(index, request.preparation, request.sequence);
  const looks = lookNow(request.preparation).nodes;
  const through = index.assembly.nodes.map((n) => {
    const look = looks[n.key];
    return Boolean(look?.ghost) || (look?.finish?.opacity ?? 1) < 0.7;
  });
  const cover = new Cover(program, pkg.geometries, (n) => through[n] === true);
  if (request.type === "covers") post({ type: "covers", nodes: coversOf(cover, program, pkg.geometries, request.nodes, request.t0, request.t1) });
  else {
    post({ type: "abrupt", turn: request.turn, places: abruptPlaces(program) });
    post({ type: "framing", turn: request.turn, steps: checkFraming(program, pkg.geometries, { cast: (...a) => cover.first(...a) }) });
  }
}
