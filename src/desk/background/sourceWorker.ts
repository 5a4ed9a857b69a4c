import type { ImportSettings } from "../../core/assembly/importSettings";
import { type AssemblyPackage, decodePackage } from "../../core/assembly/package";
import type { SourceAnswer, SourceRequest } from "../../workers/source";

/** Asks the source worker for one thing; aborting ends the worker. @throws Error in words for the user */
function ask<T extends SourceAnswer["type"]>(request: SourceRequest, signal?: AbortSignal): Promise<Extract<SourceAnswer, { type: T }>> {
  const worker = new Worker(new URL("../../workers/source.ts", import.meta.url), { type: "module" });
  return new Promise<Extract<SourceAnswer, { type: T }>>((resolve, reject) => {
    signal?.addEventListener("abort", () => reject(new DOMException("cancelled", "AbortError")));
    worker.onerror = () => reject(new Error("The file could not be read in this browser."));
    worker.onmessage = (event: MessageEvent<SourceAnswer>) =>
      event.data.type === "failed" ? reject(new Error(event.data.message)) : resolve(event.data as Extract<SourceAnswer, { type: T }>);
    worker.postMessage(request);
  }).finally(() => worker.terminate());
}

/** What is uploaded: the file itself, or all of them packed as one when they belong together. */
export interface SourceUpload {
  name: string;
  data: Blob;
  /** Files that it names and that were not given. */
  missing: string[];
}

const STEP = /\.(step|stp|p21)$/i;
const MODEL = /\.(gltf|obj|step|stp|p21|glb|stl|3mf|zip)$/i;

/** Makes one upload of the files that were dropped or chosen together. @throws Error in words for the user */
export async function packFiles(given: readonly File[], loose = false, signal?: AbortSignal): Promise<SourceUpload> {
  // A folder holds other things as well: what goes with STEP files are STEP files.
  const steps = given.filter((f) => STEP.test(f.name));
  const files = steps.length > 0 ? steps : given;
  const [first] = files;
  if (!first) throw new Error("No file was given.");
  if (files.length === 1 && steps.length === 0) return { name: first.name, data: first, missing: [] };
  const models = files.filter((f) => MODEL.test(f.name));
  if (models.length > 1 && steps.length === 0)
    throw new Error(
      `These are ${models.length} models: ${models
        .map((f) => f.name)
        .slice(0, 4)
        .join(", ")}. Bring in one at a time, with the files that belong to it.`,
    );
  const main = models[0];
  if (!main)
    throw new Error(
      `None of these files is a model: ${files
        .map((f) => f.name)
        .slice(0, 4)
        .join(", ")}. Choose the model (.gltf, .obj) together with them.`,
    );
  const list = await Promise.all(files.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) })));
  const packed = await ask<"packed">({ type: "pack", files: list, loose }, signal);
  if (files.length === 1) return { name: first.name, data: first, missing: packed.missing };
  return { name: `${(packed.main ?? main.name).replace(/\.[^.]+$/, "")}.zip`, data: new Blob([packed.bytes as Uint8Array<ArrayBuffer>]), missing: packed.missing };
}

/** Reads a mesh file as it would come in under some settings. @throws Error in words for the user */
export async function readPreview(source: SourceUpload, settings: ImportSettings, signal?: AbortSignal): Promise<AssemblyPackage> {
  const { bytes } = await ask<"read">({ type: "preview", name: source.name, bytes: new Uint8Array(await source.data.arrayBuffer()), settings }, signal);
  return decodePackage(bytes);
}

/** True for files that say neither unit nor which way is up. */
export function leavesUnitOpen(files: readonly File[]): boolean {
  return files.some((f) => /\.(stl|obj)$/i.test(f.name));
}
