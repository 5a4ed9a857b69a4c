import { StreamTarget, type StreamTargetChunk } from "mediabunny";

/**
 * Where a file is put while it is made: into the browser's own file system where it has one, so that memory does not
 * grow with the file, else into memory. Nothing of it is to be had before it is finished.
 */
export interface Sink {
  /** Writes at a place, bytes from the beginning. */
  write(at: number, data: Uint8Array): void;
  /** The whole file. Nothing may be written after it. */
  finish(type: string): Promise<Blob>;
  /** Throws away what was written. */
  drop(): Promise<void>;
}

const FOLDER = "plextan-made";
/** A file that nobody can hold any more, ms: pages are not open for so long. */
const OLD_MS = 36 * 3600_000;

/** What a worker has of its file system; the types of the page do not know it. */
interface SyncFile {
  write(data: Uint8Array, options: { at: number }): number;
  flush(): void;
  close(): void;
}

export async function openSink(): Promise<Sink> {
  try {
    return await fileSink();
  } catch {
    return memorySink();
  }
}

async function fileSink(): Promise<Sink> {
  const folder = await (await navigator.storage.getDirectory()).getDirectoryHandle(FOLDER, { create: true });
  await sweep(folder);
  const name = crypto.randomUUID();
  const entry = await folder.getFileHandle(name, { create: true });
  const file = await (entry as unknown as { createSyncAccessHandle(): Promise<SyncFile> }).createSyncAccessHandle();
  return {
    write(at, data) {
      if (file.write(data, { at }) < data.byteLength) throw new DOMException("The disk is full.", "QuotaExceededError");
    },
    async finish(type) {
      file.flush();
      file.close();
      const made = await entry.getFile();
      return made.slice(0, made.size, type);
    },
    async drop() {
      file.close();
      await folder.removeEntry(name).catch(() => {});
    },
  };
}

/** Removes what earlier pages left. */
async function sweep(folder: FileSystemDirectoryHandle): Promise<void> {
  const entries = folder as unknown as { values(): AsyncIterable<FileSystemHandle> };
  for await (const entry of entries.values()) {
    if (entry.kind !== "file") continue;
    const { lastModified } = await (entry as FileSystemFileHandle).getFile();
    if (Date.now() - lastModified > OLD_MS) await folder.removeEntry(entry.name).catch(() => {});
  }
}

/** In memory, in pieces: for browsers without a file system of their own. */
export function memorySink(): Sink {
  let buffer = new Uint8Array(1 << 20);
  let length = 0;
  return {
    write(at, data) {
      const end = at + data.byteLength;
      if (end > buffer.byteLength) {
        const larger = new Uint8Array(Math.max(end, 2 * buffer.byteLength));
        larger.set(buffer);
        buffer = larger;
      }
      buffer.set(data, at);
      length = Math.max(length, end);
    },
    finish: async (type) => new Blob([buffer.subarray(0, length)], { type }),
    async drop() {
      buffer = new Uint8Array(0);
    },
  };
}

/** A sink as what mediabunny writes to. */
export const targetOf = (sink: Sink): StreamTarget =>
  new StreamTarget(
    new WritableStream<StreamTargetChunk>({
      write({ position, data }) {
        sink.write(position, data);
      },
    }),
    { chunked: true },
  );
