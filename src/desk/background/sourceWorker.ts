import type { ImportSettings } from "../../core/assembly/importSettings";
import { type AssemblyPackage, decodePackage } from "../../core/assembly/package";
import { formatByName, mayBeModel, SOURCE_FORMATS } from "../../core/assembly/sourceFormats";
import { Refusal } from "../../core/text/refusal";
import type { SourceWorker } from "../../workers/source";
import { askOnce } from "./workerClient";

const make = () => new Worker(new URL("../../workers/source.ts", import.meta.url), { type: "module" });

/** What is uploaded: the file itself, or all of them packed as one when they belong together. */
export interface SourceUpload {
  name: string;
  data: Blob;
  /** Files that it names and that were not given. */
  missing: string[];
}

/** Makes one upload of the files that were dropped or chosen together. @throws Error in words for the user */
export async function packFiles(given: readonly File[], loose = false, signal?: AbortSignal): Promise<SourceUpload> {
  // A folder holds other things as well: what goes with STEP files are STEP files.
  const steps = given.filter((f) => formatByName(f.name) === "step");
  const files = steps.length > 0 ? steps : given;
  const [first] = files;
  if (!first) throw new Refusal("no-file");
  if (files.length === 1 && steps.length === 0) return { name: first.name, data: first, missing: [] };
  const models = files.filter((f) => mayBeModel(f.name));
  if (models.length > 1 && steps.length === 0)
    throw new Refusal("several-models", { names: models.map((f) => f.name) });
  const main = models[0];
  if (!main) throw new Refusal("no-model", { names: files.map((f) => f.name) });
  const list = await Promise.all(
    files.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) })),
  );
  const packed = await askOnce<SourceWorker, "pack">(make, "pack", { files: list, loose }, { signal });
  if (files.length === 1) return { name: first.name, data: first, missing: packed.missing };
  return {
    name: `${(packed.main ?? main.name).replace(/\.[^.]+$/, "")}.zip`,
    data: new Blob([packed.bytes as Uint8Array<ArrayBuffer>]),
    missing: packed.missing,
  };
}

/** Reads a mesh file as it would come in under some settings. @throws Error in words for the user */
export async function readPreview(
  source: SourceUpload,
  settings: ImportSettings,
  signal?: AbortSignal,
): Promise<AssemblyPackage> {
  const bytes = await askOnce<SourceWorker, "preview">(
    make,
    "preview",
    { name: source.name, bytes: new Uint8Array(await source.data.arrayBuffer()), settings },
    { signal },
  );
  return decodePackage(bytes);
}

/** True for files that say neither unit nor which way is up. */
export function leavesUnitOpen(files: readonly File[]): boolean {
  return files.some((f) => {
    const format = formatByName(f.name);
    return format !== null && SOURCE_FORMATS[format].unitOpen;
  });
}
