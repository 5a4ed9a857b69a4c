/** Fetches a package, checks it and builds the picking trees, off the main thread. */
import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";
import type { Assembly } from "../core/assembly/assembly";
import { encodePackage } from "../core/assembly/package";
import type { Geometry } from "../core/geometry/geometry";
import { wireReader } from "../formats/wire/unpack";
import { type Asked, Handed, host } from "./host";
import { paced } from "./paced";

/** What is fetched, and after how long, ms, the page shows what has come so far; null: it shows nothing of it. */
export interface LoaderInput {
  url: string;
  showsAfterMs: number | null;
}

/**
 * How far it is; and where that takes long and the page shows it: the assembly with the bounds of its shapes, and then
 * its shapes, the largest first. What comes in a moment is not copied for a picture that nobody would see.
 */
export type LoaderStage =
  | { stage: "download"; share: number | null }
  | { stage: "tree"; assembly: Assembly }
  | { stage: "shapes"; shapes: { shape: number; positions: Float32Array; indices: Uint32Array }[] };

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
    { url, showsAfterMs }: LoaderInput,
    { tell, signal }: Asked<LoaderStage>,
  ): Promise<Handed<{ bytes: ArrayBuffer; trees: (SerializedBVH | null)[] }>> {
    const response = await fetch(url, { credentials: "same-origin", signal });
    if (!response.ok) {
      const body = (await response.json().catch(() => ({}))) as { error?: string };
      throw new AnswerError(response.status, body.error ?? `The assembly could not be loaded (${response.status}).`);
    }
    const { reader, trees } = await receive(response, tell, showsAfterMs ?? Number.POSITIVE_INFINITY);
    const bytes = encodePackage(reader.end());
    const transfer: Transferable[] = [bytes.buffer as ArrayBuffer];
    for (const tree of trees) for (const root of tree?.roots ?? []) transfer.push(root as ArrayBuffer);
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

/** What has come is told so often at most, ms: each time the page draws it. */
const TELL_MS = 300;

/** Takes the assembly as it comes: shapes are unpacked and their picking trees made while the next are on their way. */
async function receive(response: Response, tell: (stage: LoaderStage) => void, showsAfterMs: number) {
  const reader = await wireReader();
  const trees: (SerializedBVH | null)[] = [];
  const began = performance.now();
  let assembly: Assembly | null = null;
  let shown = false;
  let fresh: number[] = [];
  let told = began;
  const show = () => {
    const now = performance.now();
    if (!assembly || now - began < showsAfterMs) return;
    if (!shown) tell({ stage: "tree", assembly });
    else if (now - told < TELL_MS) return;
    shown = true;
    told = now;
    if (fresh.length === 0) return;
    const shapes = fresh.map((shape) => {
      const { positions, indices } = reader.shape(shape);
      return { shape, positions, indices };
    });
    fresh = [];
    tell({ stage: "shapes", shapes });
  };
  const share = paced(tell);
  const source = response.body?.getReader();
  while (source) {
    const { done, value } = await source.read();
    if (done) break;
    const arrived = reader.push(value);
    assembly ??= arrived.assembly;
    for (const shape of arrived.shapes) {
      trees[shape] = treeOf(reader.shape(shape));
      fresh.push(shape);
      show();
    }
    show();
    share({ stage: "download", share: reader.share });
  }
  return { reader, trees };
}

host(handlers);
