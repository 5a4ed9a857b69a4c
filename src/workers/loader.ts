/** Fetches a package, checks it and builds the picking trees, off the main thread. */
import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";
import { decodePackage } from "../core/assembly/package";

export interface LoaderRequest {
  url: string;
}
export type LoaderMessage =
  | { type: "progress"; stage: "download" | "prepare"; share: number | null }
  | { type: "done"; bytes: ArrayBuffer; trees: (SerializedBVH | null)[] }
  | { type: "failed"; status: number; message: string };

const post = (message: LoaderMessage, transfer: Transferable[] = []) => (self as unknown as Worker).postMessage(message, transfer);

self.onmessage = async (event: MessageEvent<LoaderRequest>) => {
  try {
    const response = await fetch(event.data.url, { credentials: "same-origin" });
    if (!response.ok) {
      const body = (await response.json().catch(() => ({}))) as { error?: string };
      post({ type: "failed", status: response.status, message: body.error ?? `The assembly could not be loaded (${response.status}).` });
      return;
    }
    const bytes = await download(response);
    post({ type: "progress", stage: "prepare", share: 0 });
    const pkg = decodePackage(bytes);
    const transfer: Transferable[] = [bytes.buffer as ArrayBuffer];
    const trees = pkg.geometries.map((g, i) => {
      if (g.indices.length === 0) return null;
      const geometry = new BufferGeometry();
      geometry.setAttribute("position", new BufferAttribute(g.positions, 3));
      geometry.setIndex(new BufferAttribute(g.indices, 1));
      // Indirect: the index keeps its order, which the face table refers to.
      const data = MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }), { cloneBuffers: false });
      for (const root of data.roots) transfer.push(root as ArrayBuffer);
      data.index = null as never;
      post({ type: "progress", stage: "prepare", share: (i + 1) / pkg.geometries.length });
      return data;
    });
    post({ type: "done", bytes: bytes.buffer as ArrayBuffer, trees }, transfer);
  } catch (error) {
    post({ type: "failed", status: 0, message: error instanceof Error ? error.message : "The assembly could not be loaded." });
  }
};

async function download(response: Response): Promise<Uint8Array> {
  const total = Number(response.headers.get("content-length") ?? 0);
  const reader = response.body?.getReader();
  const chunks: Uint8Array[] = [];
  let size = 0;
  while (reader) {
    const { done, value } = await reader.read();
    if (done) break;
    chunks.push(value);
    size += value.length;
    post({ type: "progress", stage: "download", share: total > 0 ? size / total : null });
  }
  const out = new Uint8Array(size);
  let at = 0;
  for (const c of chunks) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}
