import { deflateSync, strToU8 } from "fflate";
import { decodePackage } from "../../core/assembly/package";
import type { Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { WIRE_MAGIC, type WireShape } from "./layout";

const bytesOf = (a: Float32Array | Float64Array | Uint32Array): Uint8Array =>
  new Uint8Array(a.buffer, a.byteOffset, a.byteLength);

/** Packs a package for its way; see layout.ts. @throws PackageError */
export async function packForWire(bytes: Uint8Array): Promise<Uint8Array> {
  const { MeshoptEncoder } = await import("meshoptimizer");
  await MeshoptEncoder.ready;
  const { assembly, geometries } = decodePackage(bytes);
  const vertices = (a: Float32Array): Uint8Array =>
    a.length === 0 ? new Uint8Array(0) : deflateSync(MeshoptEncoder.encodeVertexBuffer(bytesOf(a), a.length / 3, 12));
  const numbers = (a: Uint32Array): Uint8Array =>
    a.length === 0 ? new Uint8Array(0) : deflateSync(MeshoptEncoder.encodeIndexSequence(bytesOf(a), a.length, 4));
  const blocks: Uint8Array[][] = [];
  const shapes = geometries.map((g): WireShape => {
    const corners = cornersOf(g);
    const own = [
      g.faces.length === 0 ? new Uint8Array(0) : deflateSync(bytesOf(g.faces)),
      vertices(g.positions),
      vertices(g.normals),
      numbers(g.indices),
      corners ? numbers(corners) : vertices(g.edges),
    ];
    blocks.push(own);
    return {
      id: g.id,
      vertices: g.positions.length / 3,
      indices: g.indices.length,
      edges: g.edges.length / 3,
      faces: g.faces.length,
      byCorner: corners !== null,
      blocks: own.map((b) => b.length) as WireShape["blocks"],
    };
  });
  const size = geometries.map((g) => Math.hypot(...[0, 1, 2].map((k) => nth(g.bounds.max, k) - nth(g.bounds.min, k))));
  const order = [...geometries.keys()].sort((a, b) => nth(size, b) - nth(size, a) || a - b);
  const head = deflateSync(strToU8(JSON.stringify({ assembly, shapes, order })));
  const all = [head, ...order.flatMap((i) => blocks[i] as Uint8Array[])];
  const out = new Uint8Array(8 + all.reduce((n, b) => n + b.length, 0));
  const view = new DataView(out.buffer);
  view.setUint32(0, WIRE_MAGIC, true);
  view.setUint32(4, head.length, true);
  let at = 8;
  for (const block of all) {
    out.set(block, at);
    at += block.length;
  }
  return out;
}

/**
 * The corners on which the ends of feature edges lie, to the last bit, or null where one lies on none. Most do: edges
 * are found among those of triangles, so a number tells what twelve bytes would.
 */
function cornersOf(g: Geometry): Uint32Array | null {
  const words = new Uint32Array(g.positions.buffer, g.positions.byteOffset, g.positions.length);
  const ends = new Uint32Array(g.edges.buffer, g.edges.byteOffset, g.edges.length);
  const known = new Map<string, number>();
  const keyOf = (a: Uint32Array, i: number) => `${a[3 * i]} ${a[3 * i + 1]} ${a[3 * i + 2]}`;
  for (let i = 0; i < words.length / 3; i++) {
    const key = keyOf(words, i);
    if (!known.has(key)) known.set(key, i);
  }
  const out = new Uint32Array(ends.length / 3);
  for (let i = 0; i < out.length; i++) {
    const corner = known.get(keyOf(ends, i));
    if (corner === undefined) return null;
    out[i] = corner;
  }
  return out;
}
