import { NODE_DEPTH_MAX } from "../../core/assembly/assembly";
import type { AssemblyPackage } from "../../core/assembly/package";
import { ImportError, type ImportProgress } from "../importError";
import { OCCURRENCES_MAX, tooManyNodes } from "../limits";
import { asImportError } from "../unexpected";
import { occurrencesIn, stepText } from "./declared";
import { type Extracted, extract } from "./extract";
import type { Kernel } from "./kernel";
import { type Declarations, declarationsOf, lossWarnings } from "./losses";
import { meshModel, openStored, readModel, type SolidSource, type StepModel, told } from "./model";
import { STEP_DEFAULTS, type StepOptions } from "./options";
import { checkStepText, unitOf } from "./text";

/**
 * The kernel as a program of the system: reads and meshes a file, some ten times as fast.
 * @returns the document as the kernel stores it (BinXCAF), meshes and all; null when it could not, whatever the reason,
 * so that the kernel inside reads the file and says what is wrong with it
 * @throws ImportError when the file needs more than it may have
 */
export type NativeReader = (
  source: SolidSource,
  options: Required<StepOptions>,
  progress?: ImportProgress,
  /** Called once the program is at work: what is to be done while it is. */
  meanwhile?: () => void,
) => Promise<Uint8Array | null>;

/** The ways to a CAD kernel. */
export interface Kernels {
  /** The kernel inside, as WebAssembly: it takes seconds to start. */
  start(): Promise<Kernel>;
  native?: NativeReader | null;
}

/**
 * Reads a file of surfaces and solids into a package: the tree with all levels, occurrence names, instance transforms
 * and colours; geometry shared by instances; face table and feature edges. Read and meshed by the system's kernel where
 * there is one, else by the one inside; what is made of it is the same.
 * @throws ImportError with a message for the user
 */
export async function readSolid(
  kernels: Kernels,
  source: SolidSource,
  options: StepOptions = {},
  progress?: ImportProgress,
): Promise<AssemblyPackage> {
  checkSource(source);
  // Its start and the reading go on at once.
  const starting = kernels.start();
  starting.catch(() => {});
  progress?.("read", null);
  const declared = once(() => declarationsOf(filesOf(source)));
  const bytes = (await kernels.native?.(source, { ...STEP_DEFAULTS, ...options }, progress, declared)) ?? null;
  const kernel = await starting;
  if (!bytes) return readInside(kernel, source, options, declared, progress);
  progress?.("mesh", 0.6);
  const share = (s: number) => progress?.("mesh", 0.6 + s * 0.4);
  return packageFrom(openStored(kernel, bytes, source.format), source, options, share, declared);
}

/**
 * Reads a STEP file (AP203, AP214, AP242) by the kernel inside. @throws ImportError with a message for the user
 */
export function readStep(
  kernel: Kernel,
  bytes: Uint8Array,
  fileName: string,
  options: StepOptions = {},
  progress?: ImportProgress,
): AssemblyPackage {
  const source: SolidSource = { format: "step", fileName, bytes, parts: [] };
  checkSource(source);
  return readInside(kernel, source, options, () => declarationsOf(filesOf(source)), progress);
}

function readInside(
  kernel: Kernel,
  source: SolidSource,
  options: StepOptions,
  declared: () => Declarations,
  progress?: ImportProgress,
): AssemblyPackage {
  progress?.("read", null);
  const model = readModel(kernel, source);
  progress?.("mesh", 0);
  try {
    meshModel(model, options, (share) => progress?.("mesh", share * 0.6));
  } catch (error) {
    throw asImportError(told(kernel, error), `${source.format.toUpperCase()}-MESH`);
  }
  return packageFrom(model, source, options, (share) => progress?.("mesh", 0.6 + share * 0.4), declared);
}

/** Files that can be asked what they hold: of STEP alone it is known how. */
const filesOf = ({ format, bytes, parts }: SolidSource): Uint8Array[] =>
  format === "step" ? [bytes, ...parts.map((p) => p.bytes)] : [];

function once<T>(work: () => T): () => T {
  let done: { is: T } | null = null;
  return () => {
    done ??= { is: work() };
    return done.is;
  };
}

/** What is made of a model that is read and meshed. */
function packageFrom(
  model: StepModel,
  source: SolidSource,
  options: StepOptions,
  progress: (share: number) => void,
  declared: () => Declarations,
): AssemblyPackage {
  const { format, fileName, bytes } = source;
  let made: Extracted;
  try {
    made = extract(model, { fileName, format, unit: unitOf(format, bytes) }, options, progress);
  } catch (error) {
    throw asImportError(told(model.kernel, error), `${format.toUpperCase()}-MESH`);
  }
  // Only after a good read: what broke the kernel is not touched again.
  model.free();
  made.pkg.assembly.warnings.push(...lossWarnings(made.shapes, made.placed, filesOf(source), declared()));
  return made.pkg;
}

/** What can be said of a file before a kernel sees it. @throws ImportError */
function checkSource({ format, bytes, parts }: SolidSource): void {
  if (format !== "step") return;
  checkStepText(bytes);
  for (const p of parts) checkStepText(p.bytes, p.name);
  for (const file of [bytes, ...parts.map((p) => p.bytes)]) checkTree(occurrencesIn(stepText(file)));
}

/** @throws ImportError when the tree would be more than can be worked with */
function checkTree({ count, depth }: { count: number; depth: number }): void {
  if (count === Number.POSITIVE_INFINITY)
    throw new ImportError("unreadable", "The STEP file is damaged: a product contains itself. Export it again.");
  if (count > OCCURRENCES_MAX) throw tooManyNodes("STEP", count);
  if (depth > NODE_DEPTH_MAX - 2)
    throw new ImportError(
      "unreadable",
      `The STEP file nests deeper than ${NODE_DEPTH_MAX - 2} levels. Export it with a flatter structure.`,
    );
}
