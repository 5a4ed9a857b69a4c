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
  if (format === "zip")
    throw new ImportError("unknown-format", "An archive inside an archive is not read. Unpack it first.");
  checkSize(bundle.bytes.length, format);
  return { bundle, format };
}

/** Readers of the formats that need neither CAD kernel nor decoders: also in a browser's worker. */
const PLAIN: Partial<
  Record<SourceFormat, (bundle: Bundle, settings: ImportSettings, progress?: ImportProgress) => AssemblyPackage>
> = {
  obj: readObj,
  stl: (b, settings, progress) => readStl(b.bytes, b.name, settings, progress),
  "3mf": (b, settings, progress) => read3mf(b.bytes, b.name, settings, progress),
};

/** Reads one of the plain formats; null for all others. @throws ImportError */
export function readPlainMesh(
  bundle: Bundle,
  format: SourceFormat,
  settings: ImportSettings,
  progress?: ImportProgress,
): AssemblyPackage | null {
  return PLAIN[format]?.(bundle, settings, progress) ?? null;
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
