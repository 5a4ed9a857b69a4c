import { inflateSync, strFromU8 } from "fflate";
import type { Assembly } from "../../core/assembly/assembly";
import { type AssemblyPackage, PackageError } from "../../core/assembly/package";
import { FACE_STRIDE, type Geometry } from "../../core/geometry/geometry";
import { HeadSchema, WIRE_MAGIC, type WireHead, type WireShape } from "./layout";

const damaged = () => new PackageError("The assembly arrived damaged. Reload the page to fetch it again.");

/** What came of a piece of the stream. */
export interface Arrived {
  /** The assembly with the bounds of its shapes; once. */
  assembly: Assembly | null;
  /** Numbers of the shapes that are whole now. */
  shapes: number[];
}

/** Takes a package off the wire piece by piece; see layout.ts. Make it with {@link wireReader}. */
export class WireReader {
  private head: WireHead | null = null;
  private readonly geometries: Geometry[] = [];
  /** What has come and is not used yet. */
  private pieces: Uint8Array[] = [];
  private size = 0;
  private next = 0;
  private received = 0;
  /** Bytes of the whole; 0 until the head has come. */
  private total = 0;

  constructor(private readonly codec: typeof import("meshoptimizer").MeshoptDecoder) {}

  /** @throws PackageError when it is none, or damaged */
  push(piece: Uint8Array): Arrived {
    this.pieces.push(piece);
    this.size += piece.length;
    this.received += piece.length;
    const arrived: Arrived = { assembly: null, shapes: [] };
    if (!this.head && this.readHead()) arrived.assembly = (this.head as WireHead | null)?.assembly ?? null;
    while (this.head && this.next < this.head.order.length) {
      const i = this.head.order[this.next] as number;
      const shape = this.head.shapes[i] as WireShape;
      const bytes = this.take(shape.blocks.reduce((a, b) => a + b, 0));
      if (!bytes) break;
      this.geometries[i] = this.shapeOf(i, shape, bytes);
      this.next++;
      arrived.shapes.push(i);
    }
    return arrived;
  }

  /** How much has come, 0..1; null until it is known of how much. */
  get share(): number | null {
    return this.total > 0 ? Math.min(1, this.received / this.total) : null;
  }

  /** A shape that has come. */
  shape(i: number): Geometry {
    return this.geometries[i] as Geometry;
  }

  /** All of it, once the stream has ended. @throws PackageError when something is missing */
  end(): AssemblyPackage {
    if (!this.head || this.next < this.head.order.length || this.size > 0) throw damaged();
    return { assembly: this.head.assembly, geometries: this.geometries };
  }

  /** The next bytes, if so many have come. */
  private take(length: number): Uint8Array | null {
    if (this.size < length) return null;
    const out = new Uint8Array(length);
    for (let at = 0; at < length; ) {
      const first = this.pieces[0] as Uint8Array;
      const used = Math.min(first.length, length - at);
      out.set(first.subarray(0, used), at);
      at += used;
      if (used === first.length) this.pieces.shift();
      else this.pieces[0] = first.subarray(used);
    }
    this.size -= length;
    return out;
  }

  private readHead(): boolean {
    if (this.size < 8) return false;
    // Looked at before it is known whether all of it has come.
    const start = this.take(8) as Uint8Array;
    const view = new DataView(start.buffer);
    if (view.getUint32(0, true) !== WIRE_MAGIC) throw damaged();
    const bytes = this.take(view.getUint32(4, true));
    if (!bytes) {
      this.pieces.unshift(start);
      this.size += 8;
      return false;
    }
    const head = HeadSchema.safeParse(attempt(() => JSON.parse(strFromU8(inflateSync(bytes)))));
    if (!head.success) throw damaged();
    const { assembly, shapes, order } = head.data;
    const whole = new Set(order).size === shapes.length && order.every((i) => i < shapes.length);
    if (!whole || order.length !== shapes.length || assembly.geometries.length !== shapes.length) throw damaged();
    this.head = head.data;
    this.total = 8 + bytes.length + shapes.reduce((n, s) => n + s.blocks.reduce((a, b) => a + b, 0), 0);
    return true;
  }

  private shapeOf(i: number, shape: WireShape, bytes: Uint8Array): Geometry {
    const bounds = this.head?.assembly.geometries[i]?.bounds;
    if (!bounds || shape.faces % FACE_STRIDE !== 0) throw damaged();
    let at = 0;
    const blocks = shape.blocks.map((n) => {
      const block = bytes.subarray(at, at + n);
      at += n;
      return block;
    }) as [Uint8Array, Uint8Array, Uint8Array, Uint8Array, Uint8Array];
    const positions = this.vertices(blocks[1], shape.vertices);
    const edges = shape.byCorner
      ? this.atCorners(this.numbers(blocks[4], shape.edges), positions)
      : this.vertices(blocks[4], shape.edges);
    return {
      id: shape.id,
      faces: new Float64Array(inflated(blocks[0], 8 * shape.faces).buffer),
      positions,
      normals: this.vertices(blocks[2], shape.vertices),
      indices: this.numbers(blocks[3], shape.indices),
      edges,
      bounds,
    };
  }

  private vertices(block: Uint8Array, count: number): Float32Array {
    const out = new Float32Array(3 * count);
    if (count > 0)
      attempt(() => this.codec.decodeVertexBuffer(new Uint8Array(out.buffer), count, 12, inflateSync(block)));
    return out;
  }

  private numbers(block: Uint8Array, count: number): Uint32Array {
    const out = new Uint32Array(count);
    if (count > 0)
      attempt(() => this.codec.decodeIndexSequence(new Uint8Array(out.buffer), count, 4, inflateSync(block)));
    return out;
  }

  private atCorners(corners: Uint32Array, positions: Float32Array): Float32Array {
    const out = new Float32Array(3 * corners.length);
    for (let i = 0; i < corners.length; i++) {
      const c = 3 * (corners[i] as number);
      if (c + 2 >= positions.length) throw damaged();
      out[3 * i] = positions[c] as number;
      out[3 * i + 1] = positions[c + 1] as number;
      out[3 * i + 2] = positions[c + 2] as number;
    }
    return out;
  }
}

/** A block as it was, which must come to so many bytes. */
function inflated(block: Uint8Array, length: number): Uint8Array {
  const out = block.length === 0 ? new Uint8Array(0) : attempt(() => inflateSync(block));
  if (out.length !== length) throw damaged();
  // In a buffer of its own, from its beginning.
  return out.slice();
}

function attempt<T>(work: () => T): T {
  try {
    return work();
  } catch {
    throw damaged();
  }
}

/** A reader, once its codec has started. */
export async function wireReader(): Promise<WireReader> {
  const { MeshoptDecoder } = await import("meshoptimizer");
  await MeshoptDecoder.ready;
  return new WireReader(MeshoptDecoder);
}
