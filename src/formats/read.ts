import { IMPORT_DEFAULTS, type ImportSettings, type MeshQuality, SOURCE_UNITS } from "../core/assembly/importSettings";
import type { AssemblyPackage } from "../core/assembly/package";
import { rescale } from "../core/assembly/rescale";
import { isSolid } from "../core/assembly/sourceFormats";
import { type Bundle, beside } from "./bundle/bundle";
import type { SourceFormat } from "./detect";
import { readGlb, readGltf } from "./gltf/read";
import { ImportError, type ImportProgress } from "./importError";
import { openSource, readPlainMesh } from "./readMesh";
import type { StepOptions } from "./step/options";
import { partsOf } from "./step/set";
import { type Kernels, readSolid } from "./step/solid";
import { checkStepText, unitOf } from "./step/text";
import { finished } from "./tidy";
import { asImportError } from "./unexpected";

/**
 * Names the reader; part of the key under which results are cached. Raise it when what comes out for the same file
 * and settings changes.
 */
export const IMPORT_RECIPE = "2026-12.1";

/** Fineness of meshes made from B-rep faces. */
const QUALITY: Record<MeshQuality, Required<StepOptions>> = {
  coarse: { deflection: 0.006, angleDeg: 26 },
  normal: { deflection: 0.002, angleDeg: 14 },
  fine: { deflection: 0.0006, angleDeg: 7 },
};

/** Reads any source file. `kernels` are asked for only when the format needs one. @throws ImportError */
export async function readSource(
  bytes: Uint8Array,
  fileName: string,
  kernels: Kernels,
  progress?: ImportProgress,
  settings: ImportSettings = IMPORT_DEFAULTS,
): Promise<AssemblyPackage> {
  let where = "FILE";
  try {
    const { bundle, format } = openSource(bytes, fileName);
    where = format.toUpperCase();
    return finished(await readOne(bundle, format, kernels, settings, progress));
  } catch (error) {
    throw asImportError(error, where);
  }
}

async function readOne(
  bundle: Bundle,
  format: SourceFormat,
  kernels: Kernels,
  settings: ImportSettings,
  progress?: ImportProgress,
): Promise<AssemblyPackage> {
  const mesh = readPlainMesh(bundle, format, settings, progress);
  if (mesh) return mesh;
  if (format === "glb") return readGlb(bundle.bytes, bundle.name, progress, settings);
  if (format === "gltf") return readGltf(bundle, progress, settings);
  if (format === "zip" || !isSolid(format)) throw new ImportError("unknown-format", "This kind of file is not read.");
  const source = { format, fileName: bundle.name, bytes: bundle.bytes };
  let pkg: AssemblyPackage;
  if (format === "step") {
    // Before the kernel, which takes seconds to start.
    checkStepText(bundle.bytes);
    const { parts, missing } = partsOf({ name: bundle.name, bytes: bundle.bytes }, (name) => beside(bundle, name));
    pkg = await withMissing(missing, () =>
      readSolid(kernels, { ...source, parts }, QUALITY[settings.quality], progress),
    );
  } else pkg = await readSolid(kernels, { ...source, parts: [] }, QUALITY[settings.quality], progress);
  const up = settings.up ?? pkg.assembly.up;
  const said = unitOf(format, bundle.bytes);
  const factor =
    settings.unit && said in SOURCE_UNITS
      ? SOURCE_UNITS[settings.unit] / SOURCE_UNITS[said as keyof typeof SOURCE_UNITS]
      : 1;
  const scaled = rescale(pkg, factor);
  return { ...scaled, assembly: { ...scaled.assembly, up, unit: settings.unit ?? said } };
}

/** Reads a set of which some files are not there: what came in without them is kept, and they are named. */
async function withMissing(missing: string[], read: () => Promise<AssemblyPackage>): Promise<AssemblyPackage> {
  if (missing.length === 0) return read();
  const list = missing.slice(0, 12).join(", ") + (missing.length > 12 ? ` and ${missing.length - 12} more` : "");
  try {
    const pkg = await read();
    const warning = `Not given, so their parts are missing: ${list}. Add them under "Assembly" in the head.`;
    return { ...pkg, assembly: { ...pkg.assembly, missing, warnings: [warning, ...pkg.assembly.warnings] } };
  } catch (error) {
    if (error instanceof ImportError && error.code === "no-geometry")
      throw new ImportError(
        "missing-file",
        `The assembly's parts lie in files of their own, and none of them was given: ${list}. Drop them together with it, or their whole folder.`,
      );
    throw error;
  }
}
