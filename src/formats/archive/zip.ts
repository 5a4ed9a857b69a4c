import { inflateSync } from "fflate";
import { nth } from "../../core/math/packed";

/** Why an archive cannot be read. The caller words it: what the archive is, and what to do. */
export class ZipError extends Error {
  override readonly name = "ZipError";

  constructor(
    readonly code: "damaged" | "encrypted" | "method" | "large",
    message: string,
  ) {
    super(message);
  }
}

/** An entry as the archive's directory lists it. */
export interface ZipEntry {
  name: string;
  /** Unpacked and packed, bytes. */
  size: number;
  packedSize: number;
  crc: number;
  method: number;
  /** Where its local header begins. */
  offset: number;
}

export interface ZipDirectory {
  entries: ZipEntry[];
  /** Where the closing record ends and the archive's comment begins. */
  end: number;
  comment: Uint8Array;
}

const LOCAL = 0x04034b50;
const CENTRAL = 0x02014b50;
const END = 0x06054b50;
const END_BYTES = 22;
const COMMENT_MOST = 0xffff;
/** Bits that say how a name is written and how a file was packed; they do not change what we read. */
const IGNORED_FLAGS = 0x0808 | 0x0006;

const damaged = (what: string) => new ZipError("damaged", what);

const TABLE = new Int32Array(256).map((_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1;
  return c;
});

/** The check sum of zip archives (ISO 3309, reflected), unsigned. */
export function crc32(bytes: Uint8Array): number {
  let c = -1;
  for (let i = 0; i < bytes.length; i++) c = (c >>> 8) ^ nth(TABLE, (c ^ nth(bytes, i)) & 255);
  return ~c >>> 0;
}

/**
 * Reads an archive's directory, without unpacking anything: sizes can be counted first. Archives over 4 GB, in several
 * pieces or with a password are not read. With `strict`, nothing may follow the closing record but its comment.
 * @throws ZipError
 */
export function readDirectory(bytes: Uint8Array, strict = false): ZipDirectory {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let end = -1;
  for (let at = bytes.length - END_BYTES; at >= Math.max(0, bytes.length - END_BYTES - COMMENT_MOST); at--) {
    if (view.getUint32(at, true) !== END) continue;
    const tail = at + END_BYTES + view.getUint16(at + 20, true);
    if (strict ? tail !== bytes.length : tail > bytes.length) continue;
    end = at;
    break;
  }
  if (end < 0) throw damaged("its end is missing");
  const count = view.getUint16(end + 10, true);
  const size = view.getUint32(end + 12, true);
  const start = view.getUint32(end + 16, true);
  if (
    view.getUint16(end + 4, true) !== 0 ||
    view.getUint16(end + 6, true) !== 0 ||
    view.getUint16(end + 8, true) !== count
  )
    throw damaged("it is one piece of several");
  if (start === 0xffffffff || count === 0xffff) throw new ZipError("large", "it uses the form for archives over 4 GB");
  if (start + size > end) throw damaged("its directory lies outside it");
  const entries: ZipEntry[] = [];
  const names = new Set<string>();
  let at = start;
  for (let i = 0; i < count; i++) {
    if (at + 46 > start + size || view.getUint32(at, true) !== CENTRAL) throw damaged("its directory is broken");
    const flags = view.getUint16(at + 8, true);
    const nameLength = view.getUint16(at + 28, true);
    const next = at + 46 + nameLength + view.getUint16(at + 30, true) + view.getUint16(at + 32, true);
    if (next > start + size) throw damaged("its directory is broken");
    if (flags & 1) throw new ZipError("encrypted", "it has a password");
    const raw = bytes.subarray(at + 46, at + 46 + nameLength);
    const entry: ZipEntry = {
      name: new TextDecoder(flags & 0x0800 || isUtf8(raw) ? "utf-8" : "latin1").decode(raw),
      method: view.getUint16(at + 10, true),
      crc: view.getUint32(at + 16, true),
      packedSize: view.getUint32(at + 20, true),
      size: view.getUint32(at + 24, true),
      offset: view.getUint32(at + 42, true),
    };
    if (names.has(entry.name)) throw damaged(`it holds "${entry.name.slice(0, 80)}" twice`);
    names.add(entry.name);
    if (entry.offset + 30 > start || view.getUint32(entry.offset, true) !== LOCAL)
      throw damaged(`"${entry.name.slice(0, 80)}" is not where its directory says`);
    const localFlags = view.getUint16(entry.offset + 6, true);
    if (
      (localFlags & ~IGNORED_FLAGS) !== (flags & ~IGNORED_FLAGS) ||
      view.getUint16(entry.offset + 8, true) !== entry.method ||
      view.getUint16(entry.offset + 26, true) !== nameLength
    )
      throw damaged(`the two descriptions of "${entry.name.slice(0, 80)}" differ`);
    for (let k = 0; k < nameLength; k++)
      if (bytes[entry.offset + 30 + k] !== raw[k])
        throw damaged(`the two names of "${entry.name.slice(0, 80)}" differ`);
    entries.push(entry);
    at = next;
  }
  if (at !== start + size) throw damaged("its directory is longer than it says");
  return {
    entries,
    end: end + END_BYTES,
    comment: bytes.subarray(end + END_BYTES, end + END_BYTES + view.getUint16(end + 20, true)),
  };
}

function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder("utf-8", { fatal: true }).decode(bytes);
    return true;
  } catch {
    return false;
  }
}

/** Unpacks one entry: exactly its declared size, with its check sum compared. @throws ZipError */
export function unpackEntry(bytes: Uint8Array, entry: ZipEntry): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const from = entry.offset + 30 + view.getUint16(entry.offset + 26, true) + view.getUint16(entry.offset + 28, true);
  const packed = bytes.subarray(from, from + entry.packedSize);
  const name = entry.name.slice(0, 80);
  if (packed.length !== entry.packedSize) throw damaged(`"${name}" is cut off`);
  let out: Uint8Array;
  if (entry.method === 0) {
    if (entry.size !== entry.packedSize) throw damaged(`"${name}" is not as long as it says`);
    out = packed.slice();
  } else if (entry.method === 8) {
    // Deflate makes at most about 1,032 bytes of one: a size beyond that is a lie, and would cost memory before it
    // shows.
    if (entry.size > 1100 * (packed.length + 64)) throw damaged(`"${name}" is not as long as it says`);
    try {
      out = inflateSync(packed, { out: new Uint8Array(entry.size) });
    } catch {
      throw damaged(`"${name}" cannot be unpacked`);
    }
    if (out.length !== entry.size) throw damaged(`"${name}" is not as long as it says`);
  } else throw new ZipError("method", `"${name}" is packed in a way that is not read (method ${entry.method})`);
  if (crc32(out) !== entry.crc) throw damaged(`the check sum of "${name}" is wrong`);
  return out;
}
