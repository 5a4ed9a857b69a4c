/** Packs files that belong together into one upload, and reads mesh files for a preview, off the main thread. */
import type { ImportSettings } from "../core/assembly/importSettings";
import { encodePackage } from "../core/assembly/package";
import { packBundle } from "../formats/bundle/bundle";
import { ImportError } from "../formats/importError";
import { previewMesh } from "../formats/readMesh";
import { isStepName, mastersOf, partsOf } from "../formats/step/set";
import { asImportError } from "../formats/unexpected";
import { Handed, host } from "./host";

/**
 * Which of several STEP files the others belong to, and what is missing. @throws ImportError when there are several,
 * none naming another
 */
function stepSet(files: readonly { name: string; bytes: Uint8Array }[]): { main: string | null; missing: string[] } {
  const steps = files.filter((f) => isStepName(f.name));
  if (steps.length === 0) return { main: null, missing: [] };
  const masters = mastersOf(steps);
  const main = steps.find((f) => f.name === masters[0]);
  if (!main || masters.length > 1)
    throw new ImportError(
      "unknown-format",
      `These are ${masters.length} models that do not belong together: ${masters.slice(0, 4).join(", ")}${masters.length > 4 ? ", ..." : ""}. Bring in one at a time, with the files that belong to it.`,
    );
  const byName = new Map(steps.map((f) => [f.name.toLowerCase(), f.bytes]));
  return { main: main.name, missing: partsOf(main, (name) => byName.get(name.toLowerCase()) ?? null).missing };
}

const handlers = {
  /**
   * Packs files into one. `loose`: they join others that are there already, so none of them need be the main one.
   * @returns `main`: the file that names the others, among STEP files; `missing`: files that it names and that were
   * not given
   */
  pack({
    files,
    loose,
  }: {
    files: { name: string; bytes: Uint8Array }[];
    loose: boolean;
  }): Handed<{ bytes: Uint8Array; main: string | null; missing: string[] }> {
    return reading(() => {
      const { main, missing } = loose ? { main: null, missing: [] } : stepSet(files);
      const bytes = packBundle(files);
      return new Handed({ bytes, main, missing }, [bytes.buffer as ArrayBuffer]);
    });
  },
  /** Reads a mesh file as it would come in, as a package. */
  preview(r: { name: string; bytes: Uint8Array; settings: ImportSettings }): Handed<Uint8Array> {
    return reading(() => {
      const bytes = encodePackage(previewMesh(r.bytes, r.name, r.settings));
      return new Handed(bytes, [bytes.buffer as ArrayBuffer]);
    });
  },
};
export type SourceWorker = typeof handlers;

/** Runs a reader; what nobody foresaw in the file is an answer, too. @throws ImportError */
function reading<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    throw asImportError(error, "FILES");
  }
}

host(handlers);
