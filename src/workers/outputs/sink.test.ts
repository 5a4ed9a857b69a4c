import { afterEach, describe, expect, test, vi } from "vitest";
import { memorySink, openSink } from "./sink";

/** A browser's own file system with room for so many bytes; what lies in it, by name. */
function disk(room: number, old: Record<string, number> = {}) {
  const files = new Map<string, { bytes: Uint8Array; modified: number }>(
    Object.entries(old).map(([name, modified]) => [name, { bytes: new Uint8Array(1), modified }]),
  );
  const entry = (name: string) => ({
    kind: "file",
    name,
    getFile: async () => {
      const it = files.get(name) as { bytes: Uint8Array<ArrayBuffer>; modified: number };
      return Object.assign(new Blob([it.bytes]), { lastModified: it.modified });
    },
    createSyncAccessHandle: async () => ({
      write(data: Uint8Array, { at }: { at: number }) {
        const it = files.get(name) as { bytes: Uint8Array };
        const fits = Math.max(0, Math.min(data.byteLength, room - at));
        if (at + fits > it.bytes.length) {
          const larger = new Uint8Array(at + fits);
          larger.set(it.bytes);
          it.bytes = larger;
        }
        it.bytes.set(data.subarray(0, fits), at);
        return fits;
      },
      flush() {},
      close() {},
    }),
  });
  const folder = {
    getFileHandle: async (name: string) => {
      files.set(name, { bytes: new Uint8Array(0), modified: Date.now() });
      return entry(name);
    },
    removeEntry: async (name: string) => void files.delete(name),
    async *values() {
      for (const name of [...files.keys()]) yield entry(name);
    },
  };
  vi.stubGlobal("navigator", { storage: { getDirectory: async () => ({ getDirectoryHandle: async () => folder }) } });
  return files;
}
afterEach(() => vi.unstubAllGlobals());

describe("a file that is made", () => {
  test("lies in the browser's file system, written anywhere, and is whole at its end", async () => {
    disk(1000);
    const sink = await openSink();
    sink.write(4, Uint8Array.of(5, 6));
    sink.write(0, Uint8Array.of(1, 2, 3, 4));
    const file = await sink.finish("video/mp4");
    expect([file.type, ...new Uint8Array(await file.arrayBuffer())]).toEqual(["video/mp4", 1, 2, 3, 4, 5, 6]);
  });
  test("on a full disk is a fault that is known by its name, and leaves nothing behind", async () => {
    const files = disk(10);
    const sink = await openSink();
    sink.write(0, new Uint8Array(8));
    expect(() => sink.write(8, new Uint8Array(8))).toThrow(expect.objectContaining({ name: "QuotaExceededError" }));
    await sink.drop();
    expect(files.size).toBe(0);
  });
  test("takes away what earlier pages left, once nobody can hold it any more", async () => {
    const files = disk(100, { old: Date.now() - 40 * 3600_000, young: Date.now() - 3600_000 });
    await (await openSink()).drop();
    expect([...files.keys()]).toEqual(["young"]);
  });
  test("without such a file system grows in memory, the same way", async () => {
    vi.stubGlobal("navigator", {});
    const sink = await openSink();
    const much = new Uint8Array(3 << 20).fill(7);
    sink.write(5, much);
    sink.write(0, Uint8Array.of(1, 2, 3, 4, 5));
    const bytes = new Uint8Array(await (await sink.finish("a/b")).arrayBuffer());
    expect([bytes.length, bytes[4], bytes[5], bytes[bytes.length - 1]]).toEqual([much.length + 5, 5, 7, 7]);
    const other = memorySink();
    other.write(0, much);
    await other.drop();
    expect((await other.finish("a/b")).size).toBe(0);
  });
});
