import { IMPORT_DEFAULTS, type ImportSettings, type MeshQuality, SOURCE_UNITS } from "../core/assembly/importSettings";
import type { AssemblyPackage } from "../core/assembly/package";
import { rescale } from "../core/assembly/rescale";
import type { Bundle } from "./bundle/bundle";
import type { SourceFormat } from "./detect";
import { readGlb, readGltf } from "./gltf/read";
import type { ImportProgress } from "./importError";
import { openSource, readPlainMesh } from "./readMesh";
import type { Kernel } from "./step/kernel";
import { readStep, type StepOptions } from "./step/read";
import { checkStepText, stepUnit } from "./step/text";
import { finished } from "./tidy";
import { asImportError } from "./unexpected";

/**
 * Names the reader; part of the key under which results are cached. Raise it when what comes out for the same file
 * and settings changes.
 */
export const IMPORT_RECIPE = "2026-11.5";

/** Fineness of meshes made from B-rep faces. */
const QUALITY: Record<MeshQuality, Required<StepOptions>> = {
  coarse: { deflection: 0.006, angleDeg: 26 },
  normal: { deflection: 0.002, angleDeg: 14 },
  fine: { deflection: 0.0006, angleDeg: 7 },
};

/** Reads any source file. `kernel` is asked for only when the format needs it. @throws ImportError */
export async function readSource(
  bytes: Uint8Array,
  fileName: string,
  kernel: () => Promise<Kernel>,
  progress?: ImportProgress,
  settings: ImportSettings = IMPORT_DEFAULTS,
): Promise<AssemblyPackage> {
  let where = "FILE";
  try {
    const { bundle, format } = openSource(bytes, fileName);
    where = format.toUpperCase();
    return finished(await readOne(bundle, format, kernel, settings, progress));
  } catch (error) {
    throw asImportError(error, where);
  }
}

async function readOne(bundle: Bundle, format: SourceFormat, kernel: () => Promise<Kernel>, settings: ImportSettings, progress?: ImportProgress): Promise<AssemblyPackage> {
  const mesh = readPlainMesh(bundle, format, settings, progress);
  if (mesh) return mesh;
  if (format === "glb") return readGlb(bundle.bytes, bundle.name, progress, settings);
  if (format === "gltf") return readGltf(bundle, progress, settings);
  // Before the kernel, which takes seconds to start.
  checkStepText(bundle.bytes);
  const pkg = readStep(await kernel(), bundle.bytes, bundle.name, QUALITY[settings.quality], progress);
  const up = settings.up ?? pkg.assembly.up;
  const said = stepUnit(bundle.bytes);
  const factor = settings.unit && said in SOURCE_UNITS ? SOURCE_UNITS[settings.unit] / SOURCE_UNITS[said as keyof typeof SOURCE_UNITS] : 1;
  const scaled = rescale(pkg, factor);
  return { ...scaled, assembly: { ...scaled.assembly, up, unit: settings.unit ?? said } };
}
