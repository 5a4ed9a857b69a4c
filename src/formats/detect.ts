import { formatByName, MODEL_FORMATS, type ModelFormat, SOURCE_FORMATS } from "../core/assembly/sourceFormats";
import { isZip, namesIn } from "./bundle/bundle";
import { ImportError } from "./importError";

/**
 * Largest source files that are taken, bytes. Both were tried on two cores: 97 MB of STEP (5,000 parts) takes 2 minutes
 * and 5 GB of memory (`measure --only import-large`); see docs/architecture.md.
 */
export const STEP_MAX_BYTES = 100 * 1024 * 1024;
export const GLB_MAX_BYTES = 104 * 1024 * 1024;
/** The larger of the two: what an upload may have before its kind is known. */
export const SOURCE_MAX_BYTES = Math.max(STEP_MAX_BYTES, GLB_MAX_BYTES);

/** A model, or several files packed as one. */
export type SourceFormat = ModelFormat | "zip";

/**
 * Decides by what a file begins with; the extension only where that tells nothing. Archives are not looked into.
 * @throws ImportError
 */
export function detectByHead(head: Uint8Array, size: number, fileName: string): SourceFormat {
  if (size > 0 && isZip(head)) return /\.3mf$/i.test(fileName) ? "3mf" : "zip";
  return detectFormat(size === 0 ? new Uint8Array() : head, fileName);
}

/** The same with the whole file at hand. @throws ImportError */
export function detectFormat(bytes: Uint8Array, fileName: string): SourceFormat {
  if (bytes.length === 0)
    throw new ImportError("empty", "The file is empty (0 bytes). Export it again from the CAD system.");
  const head = new TextDecoder("latin1").decode(bytes.subarray(0, 96));
  if (head.startsWith("glTF")) return "glb";
  if (isZip(bytes)) {
    if (/\.3mf$/i.test(fileName)) return "3mf";
    return namesIn(bytes, "archive").some((n) => /^\/?3D\/.*\.model$/i.test(n)) ? "3mf" : "zip";
  }
  if (head.includes("ISO-10303-21")) return "step";
  if (/^[^\r\n]{72}S[ 0]*1\s/.test(head)) return "iges";
  if (/^\s*(DBRep_DrawableShape|CASCADE Topology V)/.test(head)) return "brep";
  const promised = formatByName(fileName);
  if (promised && promised !== "3mf") return promised;
  if (/\.3mf$/i.test(fileName))
    throw new ImportError(
      "unreadable",
      "This is not a 3MF file: it is not an archive. Check that the right file was exported, not just renamed.",
    );
  if (/\.(mtl|bin)$/i.test(fileName))
    throw new ImportError(
      "missing-file",
      `${fileName} lies beside a model; choose the model (.obj, .gltf) together with it.`,
    );
  const extension = /\.[^.]{1,8}$/.exec(fileName)?.[0] ?? "of this kind";
  const names = MODEL_FORMATS.map((f) => SOURCE_FORMATS[f].name);
  throw new ImportError(
    "unknown-format",
    `Plextan reads ${names.slice(0, -1).join(", ")} and ${names.at(-1)} files; ${extension} files it does not.`,
  );
}

/** Refuses what is larger than was tried. @throws ImportError */
export function checkSize(size: number, format: SourceFormat): void {
  const row = format === "zip" ? null : SOURCE_FORMATS[format];
  const limit = row?.solid ? STEP_MAX_BYTES : GLB_MAX_BYTES;
  if (size <= limit) return;
  const mb = (n: number) => Math.round(n / 1048576);
  throw new ImportError(
    "too-large",
    `The file has ${mb(size)} MB; ${row?.name ?? "Packed"} files may have at most ${mb(limit)} MB. Split the assembly, or export it with fewer details.`,
  );
}
