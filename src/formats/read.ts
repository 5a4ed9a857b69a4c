import type { AssemblyPackage } from "../core/assembly/package";
import { readGlb } from "./gltf/read";
import { ImportError, type ImportProgress } from "./importError";
import type { Kernel } from "./step/kernel";
import { readStep } from "./step/read";
import { checkStepText } from "./step/text";

/**
 * Names reader and settings; part of the key under which results are cached. Raise it when either changes what comes
 * out for the same file.
 */
export const IMPORT_RECIPE = "2026-11.2 normal";

/**
 * Largest source files that are taken, bytes. Both were tried on two cores: 33 MB of STEP (26,000 faces, 1,441 nodes)
 * takes 6 minutes and 1.2 GB of memory; see docs/architecture.md.
 */
export const STEP_MAX_BYTES = 33 * 1024 * 1024;
export const GLB_MAX_BYTES = 104 * 1024 * 1024;
/** The larger of the two: what an upload may have before its kind is known. */
export const SOURCE_MAX_BYTES = Math.max(STEP_MAX_BYTES, GLB_MAX_BYTES);

export type SourceFormat = "step" | "glb";

/** Decides by what the file begins with; the extension only where that tells nothing. @throws ImportError */
export function detectFormat(bytes: Uint8Array, fileName: string): SourceFormat {
  if (bytes.length === 0) throw new ImportError("empty", "The file is empty (0 bytes). Export it again from the CAD system.");
  const head = new TextDecoder("latin1").decode(bytes.subarray(0, 64));
  if (head.startsWith("glTF")) return "glb";
  if (/\.(step|stp|p21)$/i.test(fileName) || head.includes("ISO-10303-21")) return "step";
  if (/\.glb$/i.test(fileName)) return "glb";
  const extension = /\.[^.]{1,8}$/.exec(fileName)?.[0] ?? "of this kind";
  throw new ImportError("unknown-format", `Plextan reads STEP (.step, .stp) and GLB (.glb) files; ${extension} files it does not.`);
}

/** Reads any source file. `kernel` is asked for only when the format needs it. @throws ImportError */
export async function readSource(bytes: Uint8Array, fileName: string, kernel: () => Promise<Kernel>, progress?: ImportProgress): Promise<AssemblyPackage> {
  checkSize(bytes, detectFormat(bytes, fileName));
  if (detectFormat(bytes, fileName) === "glb") return readGlb(bytes, fileName, progress);
  // Before the kernel, which takes seconds to start.
  checkStepText(bytes);
  return readStep(await kernel(), bytes, fileName, {}, progress);
}

/** Refuses what is larger than was tried. @throws ImportError */
export function checkSize(bytes: Uint8Array, format: SourceFormat): void {
  const limit = format === "step" ? STEP_MAX_BYTES : GLB_MAX_BYTES;
  if (bytes.length <= limit) return;
  const mb = (n: number) => Math.round(n / 1048576);
  throw new ImportError(
    "too-large",
    `The file has ${mb(bytes.length)} MB; ${format === "step" ? "STEP" : "GLB"} files may have at most ${mb(limit)} MB. Split the assembly, or export it with fewer details.`,
  );
}
