/** Fetches a package, checks it and builds the picking trees, off the main thread. */
import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";
import { decodePackage } from "../core/assembly/package";
import type { Geometry } from "../core/geometry/geometry";
import { type Asked, Handed, host } from "./host";

export interface LoaderStage {
  stage: "download" | "prepare";
  share: number | null;
}

/** The server's answer was not a success; the message is its own. Named as such answers are on the page. */
class AnswerError extends Error {
  override readonly name = "ApiError";

  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const handlers = {
  async load(
    url: string,
    { tell, signal }: Asked<LoaderStage>,
  ): Promise<Handed<{ bytes: ArrayBuffer; trees: (SerializedBVH | null)[] }>> {
    const response = await fetch(url, { credentials: "same-origin", signal });
    if (!response.ok) {
      const body = (await response.json().catch(() => ({}))) as { error?: string };
      throw new AnswerError(response.status, body.error ?? `The assembly could not be loaded (${response.status}).`);
    }
    const bytes = await download(response, tell);
    tell({ stage: "prepare", share: 0 });
    const pkg = decodePackage(bytes);
    const transfer: Transferable[] = [bytes.buffer as ArrayBuffer];
    const trees = pkg.geometries.map((g, i) => {
      const tree = treeOf(g);
      for (const root of tree?.roots ?? []) transfer.push(root as ArrayBuffer);
      tell({ stage: "prepare", share: (i + 1) / pkg.geometries.length });
      return tree;
    });
    return new Handed({ bytes: bytes.buffer as ArrayBuffer, trees }, transfer);
  },
};
export type LoaderWorker = typeof handlers;

/** The picking tree of a shape. Its index is that of the shape, which the page has already. */
function treeOf(g: Geometry): SerializedBVH | null {
  if (g.indices.length === 0) return null;
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(g.positions, 3));
  geometry.setIndex(new BufferAttribute(g.indices, 1));
  // Indirect: the index keeps its order, which the face table refers to.
  const tree = MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }), { cloneBuffers: false });
  // Its type knows no tree without an index; the page puts in its own.
  return { ...tree, index: null as never };
}

async function download(response: Response, tell: (stage: LoaderStage) => void): Promise<Uint8Array> {
  const total = Number(response.headers.get("content-length") ?? 0);
  const reader = response.body?.getReader();
  const chunks: Uint8Array[] = [];
  let size = 0;
  while (reader) {
    const { done, value } = await reader.read();
    if (done) break;
    chunks.push(value);
    size += value.length;
    tell({ stage: "download", share: total > 0 ? size / total : null });
  }
  const out = new Uint8Array(size);
  let at = 0;
  for (const c of chunks) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}

host(handlers);
