import { nth } from "../../../core/math/packed";
import type { Chapter } from "../mp4/chapters";

/** Elements of Matroska (RFC 9559), by their ids as they stand in a file. */
const ID = {
  segment: 0x18538067,
  seekHead: 0x114d9b74,
  tags: 0x1254c367,
  chapters: 0x1043a770,
  cluster: 0x1f43b675,
  edition: 0x45b9,
  atom: 0xb6,
  uid: 0x73c4,
  start: 0x91,
  display: 0x80,
  string: 0x85,
  language: 0x437c,
  void: 0xec,
} as const;

/** An id as its own bytes. */
function idBytes(id: number): number[] {
  const out: number[] = [];
  for (let shift = 24; shift >= 0; shift -= 8) if (id >= 2 ** shift || shift === 0) out.push((id / 2 ** shift) & 255);
  return out;
}

/** A size in eight bytes, so that how much room it takes does not depend on it. */
function sizeBytes(size: number): number[] {
  const out = [1];
  for (let k = 6; k >= 0; k--) out.push(Math.floor(size / 2 ** (8 * k)) % 256);
  return out;
}

function element(id: number, ...content: Uint8Array[]): Uint8Array {
  const length = content.reduce((sum, c) => sum + c.length, 0);
  const head = Uint8Array.from([...idBytes(id), ...sizeBytes(length)]);
  const out = new Uint8Array(head.length + length);
  out.set(head);
  let at = head.length;
  for (const c of content) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}

/** A whole number of up to 2^53 in eight bytes. */
function whole(v: number): Uint8Array {
  const out = new Uint8Array(8);
  new DataView(out.buffer).setBigUint64(0, BigInt(Math.round(v)));
  return out;
}

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

/** Times in ns from the beginning. */
function chaptersElement(chapters: readonly Chapter[]): Uint8Array {
  const atoms = chapters.map(({ at, title }, i) =>
    element(
      ID.atom,
      element(ID.uid, whole(i + 1)),
      element(ID.start, whole(at * 1e9)),
      element(ID.display, element(ID.string, text(title)), element(ID.language, text("und"))),
    ),
  );
  return element(ID.chapters, element(ID.edition, ...atoms));
}

/** What stands in the place of what is not said: an empty element of so many bytes, nine at least. */
const filler = (length: number): Uint8Array => element(ID.void, new Uint8Array(length - 9));

/** A tag of so many letters keeps enough room for chapters: they take its place. */
export const tagRoom = (chapters: readonly Chapter[]): number => chaptersElement(chapters).length + 16;

/**
 * A WebM file with chapters in the place of its tags, which were put there to keep it free, so that nothing else moves.
 * The bytes of the file are not copied.
 * @returns the file as it is where there is no room @throws Error for what is no WebM file
 */
export async function withWebmChapters(file: Blob, chapters: readonly Chapter[]): Promise<Blob> {
  if (chapters.length === 0) return file;
  const bytesAt = async (at: number, length: number) =>
    new Uint8Array(await file.slice(at, Math.min(file.size, at + length)).arrayBuffer());
  const header = await elementAt(bytesAt, 0);
  const segment = header && (await elementAt(bytesAt, header.at + header.length));
  if (segment?.id !== ID.segment) throw new Error("This is not a WebM file.");
  let seekHead: Found | null = null;
  for (let at = segment.content; ; ) {
    const next = await elementAt(bytesAt, at);
    if (!next || next.id === ID.cluster) return file;
    if (next.id === ID.seekHead) seekHead = next;
    if (next.id === ID.tags) return put(file, seekHead, next, chapters);
    at = next.at + next.length;
  }
}

async function put(file: Blob, seekHead: Found | null, tags: Found, chapters: readonly Chapter[]): Promise<Blob> {
  const own = chaptersElement(chapters);
  const left = tags.length - own.length;
  if (left < 9) return file;
  const parts: BlobPart[] = [];
  let from = 0;
  if (seekHead) {
    // Where the tags were said to be, the chapters are.
    const head = new Uint8Array(await file.slice(seekHead.at, seekHead.at + seekHead.length).arrayBuffer());
    const [was, is] = [idBytes(ID.tags), idBytes(ID.chapters)];
    for (let i = 0; i + 4 <= head.length; i++)
      if (was.every((b, k) => head[i + k] === b)) {
        head.set(is, i);
        break;
      }
    parts.push(file.slice(0, seekHead.at), head as BlobPart);
    from = seekHead.at + seekHead.length;
  }
  parts.push(file.slice(from, tags.at), own as BlobPart, filler(left) as BlobPart, file.slice(tags.at + tags.length));
  return new Blob(parts, { type: file.type });
}

interface Found {
  id: number;
  /** Where it begins, where its content does, and how long it is in all. */
  at: number;
  content: number;
  length: number;
}

async function elementAt(
  bytesAt: (at: number, length: number) => Promise<Uint8Array>,
  at: number,
): Promise<Found | null> {
  const head = await bytesAt(at, 12);
  if (head.length < 2) return null;
  const idLength = Math.clz32(nth(head, 0)) - 23;
  if (idLength > 4 || head.length < idLength + 1) return null;
  let id = 0;
  for (let k = 0; k < idLength; k++) id = id * 256 + nth(head, k);
  const first = nth(head, idLength);
  const sizeLength = Math.clz32(first) - 23;
  if (sizeLength > 8 || head.length < idLength + sizeLength) return null;
  let size = first & (2 ** (8 - sizeLength) - 1);
  for (let k = 1; k < sizeLength; k++) size = size * 256 + nth(head, idLength + k);
  const content = at + idLength + sizeLength;
  return { id, at, content, length: content - at + size };
}
