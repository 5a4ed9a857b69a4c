import type { ImportSettings } from "../core/assembly/importSettings";
import type { AssemblyPackage } from "../core/assembly/package";
import { type Bundle, openBundle } from "./bundle/bundle";
import { checkSize, detectFormat, type SourceFormat } from "./detect";
import { ImportError, type ImportProgress } from "./importError";
import { readObj } from "./obj/read";
import { readStl } from "./stl/read";
import { read3mf } from "./threemf/read";
import { finished } from "./tidy";
import { asImportError } from "./unexpected";

/** Unpacks what was uploaded: a file alone, or a model with the files beside it. @throws ImportError */
export function openSource(bytes: Uint8Array, fileName: string): { bundle: Bundle; format: SourceFormat } {
  const outer = detectFormat(bytes, fileName);
  checkSize(bytes.length, outer);
  if (outer !== "zip") return { bundle: { name: fileName, bytes, beside: new Map() }, format: outer };
  const bundle = openBundle(bytes, fileName);
  const format = detectFormat(bundle.bytes, bundle.name);
  if (format === "zip") throw new ImportError("unknown-format", "An archive inside an archive is not read. Unpack it first.");
  checkSize(bundle.bytes.length, format);
  return { bundle, format };
}

/** Reads the formats that need neither CAD kernel nor decoders: also in a browser's worker. null for all others. @throws ImportError */
export function readPlainMesh(bundle: Bundle, format: SourceFormat, settings: ImportSettings, progress?: ImportProgress): AssemblyPackage | null {
  if (format === "obj") return readObj(bundle, settings, progress);
  if (format === "stl") return readStl(bundle.bytes, bundle.name, settings, progress);
  if (format === "3mf") return read3mf(bundle.bytes, bundle.name, settings, progress);
  return null;
}

/** A mesh file as it would come in, for a preview. @throws ImportError */
export function previewMesh(bytes: Uint8Array, fileName: string, settings: ImportSettings): AssemblyPackage {
  try {
    const { bundle, format } = openSource(bytes, fileName);
    const pkg = readPlainMesh(bundle, format, settings);
    if (!pkg) throw new ImportError("unknown-format", "This kind of file has no preview.");
    return finished(pkg);
  } catch (error) {
    throw asImportError(error, "PREVIEW");
  }
}
