import { describe, expect, test } from "vitest";
import { tagRoom, withWebmChapters } from "./chapters";

const size = (n: number) => [0x40 | (n >> 8), n & 255];
const el = (id: number[], ...content: number[]) => [...id, ...size(content.length), ...content];
const TAGS = [0x12, 0x54, 0xc3, 0x67];
const SEEK = [0x11, 0x4d, 0x9b, 0x74];
const CLUSTER = [0x1f, 0x43, 0xb6, 0x75];
const tags = (n: number) => el(TAGS, ...new Array<number>(n).fill(32));
const webm = (...inside: number[][]) =>
  new Blob([Uint8Array.from([...el([0x1a, 0x45, 0xdf, 0xa3], 1), ...el([0x18, 0x53, 0x80, 0x67], ...inside.flat())])], {
    type: "video/webm",
  });
const CHAPTERS = [
  { at: 0, title: "Öffnen" },
  { at: 2.5, title: "Close" },
];
const bytesOf = async (b: Blob) => Buffer.from(await b.arrayBuffer());

describe("chapters of a WebM", () => {
  test("take the place of the tags: nothing else moves, and the list of places says so", async () => {
    const before = webm(
      el(SEEK, ...TAGS, 5),
      el([0x15, 0x49, 0xa9, 0x66], 7),
      tags(tagRoom(CHAPTERS)),
      el(CLUSTER, 9, 9),
    );
    const made = await withWebmChapters(before, CHAPTERS);
    expect([made.size, made.type]).toEqual([before.size, "video/webm"]);
    const [was, is] = [await bytesOf(before), await bytesOf(made)];
    expect(is.indexOf(Buffer.from(TAGS))).toBe(-1);
    expect(is.indexOf("Öffnen")).toBeGreaterThan(0);
    expect(is.indexOf(Buffer.from(CLUSTER))).toBe(was.indexOf(Buffer.from(CLUSTER)));
    // Named in the list of places, and there.
    const named = is.indexOf(Buffer.from([0x10, 0x43, 0xa7, 0x70]));
    expect(named).toBe(was.indexOf(Buffer.from(TAGS)));
    const there = is.indexOf(Buffer.from([0x10, 0x43, 0xa7, 0x70]), named + 1);
    expect(there).toBe(was.indexOf(Buffer.from(TAGS), named + 1));
    // The second begins at two and a half seconds, in ns.
    const start = Buffer.from([0x91, 1, 0, 0, 0, 0, 0, 0, 8]);
    const second = is.indexOf(start, is.indexOf(start) + 1);
    expect(is.readBigUInt64BE(second + start.length)).toBe(2_500_000_000n);
  });

  test("are left out where there is no room or none was kept, and the file is as it was", async () => {
    const small = webm(tags(20), el(CLUSTER, 9));
    expect(await withWebmChapters(small, CHAPTERS)).toBe(small);
    const bare = webm(el(CLUSTER, 9), tags(400));
    expect(await withWebmChapters(bare, CHAPTERS)).toBe(bare);
    expect(await withWebmChapters(small, [])).toBe(small);
    await expect(withWebmChapters(new Blob(["no"]), CHAPTERS)).rejects.toThrow("not a WebM");
  });
});
