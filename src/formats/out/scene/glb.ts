/** A GLB as it is put together: JSON beside one buffer (glTF 2.0, Khronos). */
export class GlbBuilder {
  private readonly pieces: Uint8Array[] = [];
  private length = 0;
  private readonly views: object[] = [];
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
    this.views.push({
      ...{ buffer: 0, byteOffset: this.length, byteLength: bytes.byteLength },
      ...(more.target === undefined ? {} : { target: more.target }),
    });
    this.pieces.push(bytes);
    this.length += bytes.byteLength;
    const pad = (4 - (this.length % 4)) % 4;
    if (pad > 0) this.pieces.push(new Uint8Array(pad));
    this.length += pad;
    const count = data.length / width;
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

  /** The file. @param json everything but buffers, views and accessors */
  finish(json: object): Uint8Array {
    const text = new TextEncoder().encode(
      JSON.stringify({
        ...json,
        ...{ accessors: this.accessors, bufferViews: this.views, buffers: [{ byteLength: this.length }] },
      }),
    );
    const padded = text.byteLength + ((4 - (text.byteLength % 4)) % 4);
    const out = new Uint8Array(12 + 8 + padded + 8 + this.length);
    const head = new DataView(out.buffer);
    const words = [0x46546c67, 2, out.byteLength, padded, 0x4e4f534a];
    words.forEach((w, i) => {
      head.setUint32(4 * i, w, true);
    });
    out.set(text, 20);
    out.fill(0x20, 20 + text.byteLength, 20 + padded);
    head.setUint32(20 + padded, this.length, true);
    head.setUint32(24 + padded, 0x004e4942, true);
    let at = 28 + padded;
    for (const piece of this.pieces) {
      out.set(piece, at);
      at += piece.byteLength;
    }
    return out;
  }
}
