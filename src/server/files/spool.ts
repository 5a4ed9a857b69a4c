import { createHash } from "node:crypto";
import { once } from "node:events";
import { createWriteStream } from "node:fs";
import { mkdir, mkdtemp, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";

/** A folder of this process's own for files on their way; taken away by {@link Spool.clear}. */
export interface Spool {
  path(name: string): string;
  clear(): Promise<void>;
}

/** Of this user alone: several may run Plextan on one machine. */
const spoolBase = () => process.env.PLEXTAN_SPOOL ?? path.join(tmpdir(), `plextan-${process.getuid?.() ?? "user"}`);

const FORGOTTEN_MS = 24 * 3_600_000;

/** Takes away what killed processes left behind, once it is a day old. */
export async function sweepSpool(): Promise<void> {
  const base = spoolBase();
  for (const name of await readdir(base).catch(() => [])) {
    const folder = path.join(base, name);
    const age = Date.now() - ((await stat(folder).catch(() => null))?.mtimeMs ?? Date.now());
    if (name.startsWith("s-") && age > FORGOTTEN_MS) await rm(folder, { recursive: true, force: true }).catch(() => {});
  }
}

/** Makes a folder for files on their way. */
export async function openSpool(): Promise<Spool> {
  const base = spoolBase();
  await mkdir(base, { recursive: true, mode: 0o700 });
  const folder = await mkdtemp(path.join(base, "s-"));
  return { path: (name) => path.join(folder, name), clear: () => rm(folder, { recursive: true, force: true }) };
}

/** A file that was received. */
export interface Received {
  path: string;
  size: number;
  sha256: string;
  /** Its first bytes. */
  head: Uint8Array;
}

const HEAD_BYTES = 4096;

/** Thrown when more came than is taken. */
export class TooLong extends Error {}

/**
 * Writes a stream to a file as it comes, hashing on the way: memory stays small whatever the size.
 * @throws TooLong beyond `limit` bytes
 */
export async function receive(body: ReadableStream<Uint8Array> | null, file: string, limit: number): Promise<Received> {
  const hash = createHash("sha256");
  const out = createWriteStream(file, { mode: 0o600 });
  const failed = once(out, "error").then(([error]) => Promise.reject(error as Error));
  failed.catch(() => {});
  let size = 0;
  let head = new Uint8Array(0);
  const reader = body?.getReader();
  try {
    while (reader) {
      const { done, value } = await reader.read();
      if (done) break;
      size += value.length;
      if (size > limit) throw new TooLong();
      if (head.length < HEAD_BYTES) {
        const more = value.subarray(0, HEAD_BYTES - head.length);
        const joined = new Uint8Array(head.length + more.length);
        joined.set(head);
        joined.set(more, head.length);
        head = joined;
      }
      hash.update(value);
      if (!out.write(value)) await Promise.race([once(out, "drain"), failed]);
    }
    out.end();
    await Promise.race([once(out, "finish"), failed]);
  } catch (error) {
    out.destroy();
    await reader?.cancel().catch(() => {});
    throw error;
  }
  return { path: file, size, sha256: hash.digest("hex"), head };
}
