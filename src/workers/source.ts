/** Packs files that belong together into one upload, and reads mesh files for a preview, off the main thread. */
import type { ImportSettings } from "../core/assembly/importSettings";
import { encodePackage } from "../core/assembly/package";
import { packBundle } from "../formats/bundle/bundle";
import { previewMesh } from "../formats/readMesh";
import { asImportError } from "../formats/unexpected";

export type SourceRequest = { type: "pack"; files: { name: string; bytes: Uint8Array }[] } | { type: "preview"; name: string; bytes: Uint8Array; settings: ImportSettings };
export type SourceAnswer = { type: "packed"; bytes: Uint8Array } | { type: "read"; bytes: Uint8Array } | { type: "failed"; message: string };

const post = (message: SourceAnswer, transfer: Transferable[] = []) => (self as unknown as Worker).postMessage(message, transfer);

self.onmessage = (event: MessageEvent<SourceRequest>) => {
  const request = event.data;
  try {
    if (request.type === "pack") {
      const bytes = packBundle(request.files);
      post({ type: "packed", bytes }, [bytes.buffer as ArrayBuffer]);
      return;
    }
    const bytes = encodePackage(previewMesh(request.bytes, request.name, request.settings));
    post({ type: "read", bytes }, [bytes.buffer as ArrayBuffer]);
  } catch (error) {
    post({ type: "failed", message: asImportError(error, "FILES").message });
  }
};
