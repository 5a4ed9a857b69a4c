import { indexAssembly } from "../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings, type MeshQuality, SOURCE_UNITS } from "../core/assembly/importSettings";
import type { AssemblyPackage } from "../core/assembly/package";
import { rescale } from "../core/assembly/rescale";
import { shareCongruent } from "../core/geometry/congruent";
import { type Bundle, isZip, openBundle, unpack } from "./bundle/bundle";
import { readGlb, readGltf } from "./gltf/read";
import { ImportError, type ImportProgress } from "./importError";
import { readObj } from "./obj/read";
import type { Kernel } from "./step/kernel";
import { readStep, type StepOptions } from "./step/read";
import { checkStepText, stepUnit } from "./step/text";
import { readStl } from "./stl/read";
import { read3mf } from "./threemf/read";

/**
 * Names the reader; part of the key under which results are cached. Raise it when what comes out for the same file
 * and settings changes.
 */
export const IMPORT_RECIPE = "2026-11.3";

/**
 * Largest source files that are taken, bytes. STEP and GLB were tried on two cores: 33 MB of STEP (26,000 faces, 1,441
 * nodes) takes 6 minutes and 1.2 GB of memory; see docs/architecture.md.
 */
export const STEP_MAX_BYTES = 33 * 1024 * 1024;
export const GLB_MAX_BYTES = 104 * 1024 * 1024;
/** The larger of the two: what an upload may have before its kind is known. */
export const SOURCE_MAX_BYTES = Math.max(STEP_MAX_BYTES, GLB_MAX_BYTES);

export type SourceFormat = "step" | "glb" | "gltf" | "obj" | "stl" | "3mf" | "zip";

/** Fineness of meshes made from B-rep faces. */
const QUALITY: Record<MeshQuality, Required<StepOptions>> = {
  coarse: { deflection: 0.006, angleDeg: 26 },
  normal: { deflection: 0.002, angleDeg: 14 },
  fine: { deflection: 0.0006, angleDeg: 7 },
};

/** Decides by what the file begins with; the extension only where that tells nothing. @throws ImportError */
export function detectFormat(bytes: Uint8Array, fileName: string): SourceFormat {
  if (bytes.length === 0) throw new ImportError("empty", "The file is empty (0 bytes). Export it again from the CAD system.");
  const head = new TextDecoder("latin1").decode(bytes.subarray(0, 64));
  if (head.startsWith("glTF")) return "glb";
  if (isZip(bytes)) {
    if (/\.3mf$/i.test(fileName)) return "3mf";
    return unpack(bytes, "archive", (n) => /^\/?3D\/.*\.model$/i.test(n)).size > 0 ? "3mf" : "zip";
  }
  if (/\.(step|stp|p21)$/i.test(fileName) || head.includes("ISO-10303-21")) return "step";
  for (const [format, pattern] of [
    ["glb", /\.glb$/i],
    ["gltf", /\.gltf$/i],
    ["obj", /\.obj$/i],
    ["stl", /\.stl$/i],
  ] as const) {
    if (pattern.test(fileName)) return format;
  }
  if (/\.3mf$/i.test(fileName)) throw new ImportError("unreadable", "This is not a 3MF file: it is not an archive. Check that the right file was exported, not just renamed.");
  if (/\.(mtl|bin)$/i.test(fileName)) throw new ImportError("missing-file", `${fileName} lies beside a model; choose the model (.obj, .gltf) together with it.`);
  const extension = /\.[^.]{1,8}$/.exec(fileName)?.[0] ?? "of this kind";
  throw new ImportError("unknown-format", `Plextan reads STEP (.step, .stp), glTF and GLB, OBJ, STL and 3MF files; ${extension} files it does not.`);
}

/** Reads any source file. `kernel` is asked for only when the format needs it. @throws ImportError */
export async function readSource(
  bytes: Uint8Array,
  fileName: string,
  kernel: () => Promise<Kernel>,
  progress?: ImportProgress,
  settings: ImportSettings = IMPORT_DEFAULTS,
): Promise<AssemblyPackage> {
  const format = detectFormat(bytes, fileName);
  checkSize(bytes, format);
  const bundle: Bundle = format === "zip" ? openBundle(bytes, fileName) : { name: fileName, bytes, beside: new Map() };
  const pkg = await readOne(bundle, format === "zip" ? detectFormat(bundle.bytes, bundle.name) : format, kernel, settings, progress);
  return checkPlausible(recognise(pkg));
}

async function readOne(bundle: Bundle, format: SourceFormat, kernel: () => Promise<Kernel>, settings: ImportSettings, progress?: ImportProgress): Promise<AssemblyPackage> {
  checkSize(bundle.bytes, format);
  switch (format) {
    case "glb":
      return readGlb(bundle.bytes, bundle.name, progress, settings);
    case "gltf":
      return readGltf(bundle, progress, settings);
    case "obj":
      return readObj(bundle, settings, progress);
    case "stl":
      return readStl(bundle.bytes, bundle.name, settings, progress);
    case "3mf":
      return read3mf(bundle.bytes, bundle.name, settings, progress);
    case "zip":
      throw new ImportError("unknown-format", "An archive inside an archive is not read. Unpack it first.");
    case "step": {
      // Before the kernel, which takes seconds to start.
      checkStepText(bundle.bytes);
      const pkg = readStep(await kernel(), bundle.bytes, bundle.name, QUALITY[settings.quality], progress);
      const up = settings.up ?? pkg.assembly.up;
      const said = stepUnit(bundle.bytes);
      const factor = settings.unit && said in SOURCE_UNITS ? SOURCE_UNITS[settings.unit] / SOURCE_UNITS[said as keyof typeof SOURCE_UNITS] : 1;
      const scaled = rescale(pkg, factor);
      return { ...scaled, assembly: { ...scaled.assembly, up, unit: settings.unit ?? said } };
    }
  }
}

/** Lets identical bodies share their shape again, in files that repeat it. */
function recognise(pkg: AssemblyPackage): AssemblyPackage {
  const { nodes, geometries, recognised } = shareCongruent(pkg.assembly.nodes, pkg.geometries);
  if (recognised === 0) return pkg;
  return {
    geometries,
    assembly: { ...pkg.assembly, nodes, geometries: geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })) },
  };
}

/** Sizes that a product hardly has: said, so that a wrong unit is found before anything is keyed. */
export const LARGE_MM = 500_000;
export const SMALL_MM = 0.5;

/** Largest extent of an assembly at home, mm. */
export function extentOf(pkg: AssemblyPackage): number {
  const index = indexAssembly(pkg.assembly);
  let most = 0;
  for (const root of index.roots) for (let k = 0; k < 3; k++) most = Math.max(most, (index.worldBounds[6 * root + 3 + k] as number) - (index.worldBounds[6 * root + k] as number));
  return most;
}

function checkPlausible(pkg: AssemblyPackage): AssemblyPackage {
  const extent = extentOf(pkg);
  if (extent <= LARGE_MM && extent >= SMALL_MM) return pkg;
  const size = extent > LARGE_MM ? `${Math.round(extent / 1000)} m across` : `only ${extent.toPrecision(2)} mm across`;
  return {
    ...pkg,
    assembly: {
      ...pkg.assembly,
      warnings: [...pkg.assembly.warnings, `The model is ${size}, taken as written in ${pkg.assembly.unit}. If that is wrong, choose another unit under "Assembly" in the head.`],
    },
  };
}

/** Refuses what is larger than was tried. @throws ImportError */
export function checkSize(bytes: Uint8Array, format: SourceFormat): void {
  const limit = format === "step" ? STEP_MAX_BYTES : GLB_MAX_BYTES;
  if (bytes.length <= limit) return;
  const mb = (n: number) => Math.round(n / 1048576);
  const name = { step: "STEP", glb: "GLB", gltf: "glTF", obj: "OBJ", stl: "STL", "3mf": "3MF", zip: "Packed" }[format];
  throw new ImportError("too-large", `The file has ${mb(bytes.length)} MB; ${name} files may have at most ${mb(limit)} MB. Split the assembly, or export it with fewer details.`);
}
