/** Where a chapter begins, s, and what it is called. */
export interface Chapter {
  at: number;
  title: string;
}

/** Most chapters that the list can hold. */
export const CHAPTERS_MOST = 255;

const four = (name: string): number[] => [...name].map((c) => c.charCodeAt(0));

/** A box of ISO/IEC 14496-12: its length, its name, what is in it. */
function box(name: string, ...content: Uint8Array[]): Uint8Array {
  const out = new Uint8Array(8 + content.reduce((sum, c) => sum + c.length, 0));
  new DataView(out.buffer).setUint32(0, out.length);
  out.set(four(name), 4);
  let at = 8;
  for (const c of content) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}

/** A list of chapters as players read it ("chpl", times in units of 100 ns, titles up to 255 bytes). */
function chapterList(chapters: readonly Chapter[]): Uint8Array {
  const entries = chapters.slice(0, CHAPTERS_MOST).map(({ at, title }) => {
    let text = new TextEncoder().encode(title);
    // A letter is not cut in its middle.
    for (let n = title.length; text.length > 255; n--) text = new TextEncoder().encode(title.slice(0, n));
    const out = new Uint8Array(9 + text.length);
    new DataView(out.buffer).setBigUint64(0, BigInt(Math.round(at * 1e7)));
    out[8] = text.length;
    out.set(text, 9);
    return out;
  });
  return box("chpl", Uint8Array.of(1, 0, 0, 0, 0, 0, 0, 0, entries.length), ...entries);
}

/** Bytes that a file needs to have free behind its header for so many chapters. */
export const chapterRoom = (chapters: readonly Chapter[]): number => chapterList(chapters).length + 16;

/**
 * An MP4 file with chapters. They go into the header, into room that was left free behind it, so that nothing else
 * moves. The bytes of the file are not copied.
 * @returns the file as it is where there is no room @throws Error for what is no MP4 file
 */
export async function withChapters(file: Blob, chapters: readonly Chapter[]): Promise<Blob> {
  if (chapters.length === 0) return file;
  const bytesAt = async (at: number, length: number) =>
    new Uint8Array(await file.slice(at, Math.min(file.size, at + length)).arrayBuffer());
  const boxAt = async (at: number) => {
    const head = await bytesAt(at, 8);
    if (head.length < 8) return null;
    return { at, length: new DataView(head.buffer).getUint32(0), name: String.fromCharCode(...head.subarray(4)) };
  };
  let moov = await boxAt(0);
  while (moov && moov.name !== "moov" && moov.length >= 8) moov = await boxAt(moov.at + moov.length);
  if (moov?.name !== "moov") throw new Error("This is not an MP4 file with its header in front.");
  const free = await boxAt(moov.at + moov.length);
  const old = await bytesAt(moov.at + 8, moov.length - 8);
  const header = withList(old, chapterList(chapters));
  const more = header.length - moov.length;
  const left = (free?.length ?? 0) - more;
  if (free?.name !== "free" || left < 8) return file;
  const rest = new Uint8Array(8);
  new DataView(rest.buffer).setUint32(0, left);
  rest.set(four("free"), 4);
  const after = free.at + free.length - (left - 8);
  return new Blob([file.slice(0, moov.at), header as BlobPart, rest, file.slice(after)], { type: file.type });
}

/** The header with a list of chapters among its own data ("udta"), of which there is one at most. */
function withList(moov: Uint8Array, list: Uint8Array): Uint8Array {
  const view = new DataView(moov.buffer, moov.byteOffset, moov.byteLength);
  for (let at = 0; at + 8 <= moov.length; ) {
    const length = view.getUint32(at);
    if (String.fromCharCode(...moov.subarray(at + 4, at + 8)) === "udta") {
      const own = box("udta", moov.subarray(at + 8, at + length), list);
      return box("moov", moov.subarray(0, at), own, moov.subarray(at + length));
    }
    if (length < 8) break;
    at += length;
  }
  return box("moov", moov, box("udta", list));
}
