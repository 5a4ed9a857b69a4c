/** Packs files that belong together into one upload, and reads mesh files for a preview, off the main thread. */
import type { ImportSettings } from "../core/assembly/importSettings";
import { encodePackage } from "../core/assembly/package";
import { packBundle } from "../formats/bundle/bundle";
import { ImportError } from "../formats/importError";
import { previewMesh } from "../formats/readMesh";
import { isStepName, mastersOf, partsOf } from "../formats/step/set";
import { asImportError } from "../formats/unexpected";

/** `loose`: the files join others that are there already, so none of them need be the main one. */
export type SourceRequest =
  | { type: "pack"; files: { name: string; bytes: Uint8Array }[]; loose: boolean }
  | { type: "preview"; name: string; bytes: Uint8Array; settings: ImportSettings };
/** `main`: the file that names the others, among STEP files; `missing`: files that it names and that were not given. */
export type SourceAnswer =
  | { type: "packed"; bytes: Uint8Array; main: string | null; missing: string[] }
  | { type: "read"; bytes: Uint8Array }
  | { type: "failed"; message: string };

/** Which of several STEP files the others belong to, and what is missing. @throws ImportError when there are several, none naming another */
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

const post = (message: SourceAnswer, transfer: Transferable[] = []) => (self as unknown as Worker).postMessage(message, transfer);

self.onmessage = (event: MessageEvent<SourceRequest>) => {
  const request = event.data;
  try {
    if (request.type === "pack") {
      const { main, missing } = request.loose ? { main: null, missing: [] } : stepSet(request.files);
      const bytes = packBundle(request.files);
      post({ type: "packed", bytes, main, missing }, [bytes.buffer as ArrayBuffer]);
      return;
    }
    const bytes = encodePackage(previewMesh(request.bytes, request.name, request.settings));
    post({ type: "read", bytes }, [bytes.buffer as ArrayBuffer]);
  } catch (error) {
    post({ type: "failed", message: asImportError(error, "FILES").message });
  }
};
