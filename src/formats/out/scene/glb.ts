/** Packs the numbers of one view: so many of so many bytes each. */
export type Pack = (bytes: Uint8Array, count: number, stride: number, mode: "ATTRIBUTES" | "TRIANGLES") => Uint8Array;

/** The extension that says how a view is packed (Khronos, EXT_meshopt_compression). */
export const PACKED = "EXT_meshopt_compression";

/** Bytes that it takes to say that a view is packed. */
const SAYING = 160;

interface View {
  bytes: Uint8Array;
  target: number | undefined;
  stride: number;
  count: number;
  triangles: boolean;
}

/** A GLB as it is put together: JSON beside one buffer (glTF 2.0, Khronos). */
export class GlbBuilder {
  private readonly views: View[] = [];
  private readonly accessors: object[] = [];

  /** Puts numbers into the buffer. @returns the number of their accessor */
  accessor(
    data: Float32Array | Uint32Array | Uint16Array | Uint8Array,
    type: "SCALAR" | "VEC2" | "VEC3" | "VEC4",
    more: { target?: number; normalized?: boolean; bounds?: boolean } = {},
  ): number {
    const width = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[type];
    const component =
      data instanceof Float32Array
        ? 5126
        : data instanceof Uint32Array
          ? 5125
          : data instanceof Uint16Array
            ? 5123
            : 5121;
    const bytes = new Uint8Array(data.buffer, data.byteOffset, data.byteLength);
    const view = this.views.length;
    const count = data.length / width;
    this.views.push({
      ...{ bytes, target: more.target, stride: data.BYTES_PER_ELEMENT * width, count },
      // Whole triangles of corners, which pack better as such.
      triangles: more.target === 34963,
    });
    let bounds = {};
    if (more.bounds) {
      const min = new Array<number>(width).fill(Number.POSITIVE_INFINITY);
      const max = new Array<number>(width).fill(Number.NEGATIVE_INFINITY);
      for (let i = 0; i < data.length; i++) {
        const v = data[i] as number;
        if (v < (min[i % width] as number)) min[i % width] = v;
        if (v > (max[i % width] as number)) max[i % width] = v;
      }
      bounds = { min, max };
    }
    this.accessors.push({
      ...{ bufferView: view, componentType: component, count, type },
      ...(more.normalized ? { normalized: true } : {}),
      ...bounds,
    });
    return this.accessors.length - 1;
  }

  /** The file. @param json everything but buffers, views and accessors @param pack packs what it can; null leaves all as it is */
  finish(json: { extensionsUsed?: string[]; [more: string]: unknown }, pack: Pack | null = null): Uint8Array {
    const pieces: Uint8Array[] = [];
    let length = 0;
    const put = (bytes: Uint8Array): number => {
      const at = length;
      const pad = (4 - (bytes.byteLength % 4)) % 4;
      pieces.push(bytes, new Uint8Array(pad));
      length += bytes.byteLength + pad;
      return at;
    };
    // What is packed lies, unpacked, in a second buffer that is not there.
    let plain = 0;
    const views = this.views.map(({ bytes, target, stride, count, triangles }) => {
      const of = target === undefined ? {} : { target };
      const mode = triangles ? "TRIANGLES" : "ATTRIBUTES";
      const packed = pack && stride % (triangles ? 2 : 4) === 0 ? pack(bytes, count, stride, mode) : null;
      if (!packed || packed.byteLength + SAYING > bytes.byteLength)
        return { buffer: 0, byteOffset: put(bytes), byteLength: bytes.byteLength, ...of };
      const own = {
        buffer: 0,
        byteOffset: put(packed),
        byteLength: packed.byteLength,
        byteStride: stride,
        count,
        mode,
      };
      const at = plain;
      plain += bytes.byteLength + ((4 - (bytes.byteLength % 4)) % 4);
      return { buffer: 1, byteOffset: at, byteLength: bytes.byteLength, ...of, extensions: { [PACKED]: own } };
    });
    const buffers = [
      { byteLength: length },
      ...(plain > 0 ? [{ byteLength: plain, extensions: { [PACKED]: { fallback: true } } }] : []),
    ];
    const used = [...(json.extensionsUsed ?? []), ...(plain > 0 ? [PACKED] : [])];
    const { accessors } = this;
    return glb(
      {
        ...json,
        ...(used.length > 0 ? { extensionsUsed: used } : {}),
        ...(plain > 0 ? { extensionsRequired: [PACKED] } : {}),
        ...{ accessors, bufferViews: views, buffers },
      },
      pieces,
      length,
    );
  }
}

/** JSON and one buffer as a file. */
function glb(json: object, pieces: readonly Uint8Array[], length: number): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(json));
  const padded = text.byteLength + ((4 - (text.byteLength % 4)) % 4);
  const out = new Uint8Array(12 + 8 + padded + 8 + length);
  const head = new DataView(out.buffer);
  const words = [0x46546c67, 2, out.byteLength, padded, 0x4e4f534a];
  words.forEach((w, i) => {
    head.setUint32(4 * i, w, true);
  });
  out.set(text, 20);
  out.fill(0x20, 20 + text.byteLength, 20 + padded);
  head.setUint32(20 + padded, length, true);
  head.setUint32(24 + padded, 0x004e4942, true);
  let at = 28 + padded;
  for (const piece of pieces) {
    out.set(piece, at);
    at += piece.byteLength;
  }
  return out;
}
