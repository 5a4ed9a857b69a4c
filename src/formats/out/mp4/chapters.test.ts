import { describe, expect, test } from "vitest";
import { chapterRoom, withChapters } from "./chapters";

const tag = (name: string) => [...name].map((c) => c.charCodeAt(0));
const box = (name: string, ...content: number[]) => {
  const n = 8 + content.length;
  return [n >> 24, (n >> 16) & 255, (n >> 8) & 255, n & 255, ...tag(name), ...content];
};
const free = (n: number) => box("free", ...new Array<number>(n - 8).fill(0));
const blob = (...bytes: number[][]) => new Blob([Uint8Array.from(bytes.flat())], { type: "video/mp4" });
const CHAPTERS = [
  { at: 0, title: "Öffnen" },
  { at: 2.5, title: "Close" },
];
const bytesOf = async (b: Blob) => new Uint8Array(await b.arrayBuffer());
/** Names and lengths of the boxes of a file. */
const list = async (b: Blob) => {
  const bytes = await bytesOf(b);
  const view = new DataView(bytes.buffer);
  const out: string[] = [];
  for (let at = 0; at < bytes.length; at += view.getUint32(at))
    out.push(`${String.fromCharCode(...bytes.subarray(at + 4, at + 8))} ${view.getUint32(at)}`);
  return out;
};

describe("chapters of a video", () => {
  test("go into the room behind the header: nothing else moves", async () => {
    const file = blob(box("ftyp", 1), box("moov", ...box("mvhd", 7)), free(200), box("mdat", 5, 6));
    const made = await withChapters(file, CHAPTERS);
    expect(made.size).toBe(file.size);
    expect(made.type).toBe("video/mp4");
    const boxes = await list(made);
    expect(boxes.map((b) => b.split(" ")[0])).toEqual(["ftyp", "moov", "free", "mdat"]);
    expect((await bytesOf(made)).subarray(-10)).toEqual((await bytesOf(file)).subarray(-10));
    const bytes = await bytesOf(made);
    const at = Buffer.from(bytes).indexOf("chpl") + 4;
    const view = new DataView(bytes.buffer);
    expect(bytes[at + 8]).toBe(2);
    const first = Number(view.getBigUint64(at + 9));
    const length = bytes[at + 17] as number;
    expect([first, Buffer.from(bytes.subarray(at + 18, at + 18 + length)).toString()]).toEqual([0, "Öffnen"]);
    expect(Number(view.getBigUint64(at + 18 + length))).toBe(25_000_000);
  });
  test("join what the header holds of its own", async () => {
    const file = blob(box("moov", ...box("udta", ...box("meta", 1)), ...box("trak", 2)), free(200), box("mdat", 5));
    const bytes = Buffer.from(await bytesOf(await withChapters(file, CHAPTERS)));
    expect(bytes.toString("latin1").match(/udta/g)).toHaveLength(1);
    expect(bytes.indexOf("meta")).toBeLessThan(bytes.indexOf("chpl"));
    expect(bytes.indexOf("chpl")).toBeLessThan(bytes.indexOf("trak"));
  });
  test("are left out where there is no room, and the file is as it was", async () => {
    const file = blob(box("moov", ...box("mvhd", 7)), free(40), box("mdat", 5));
    expect(await bytesOf(await withChapters(file, CHAPTERS))).toEqual(await bytesOf(file));
    expect(await withChapters(file, [])).toBe(file);
    const room = chapterRoom(CHAPTERS);
    const enough = blob(box("moov", ...box("mvhd", 7)), free(room), box("mdat", 5));
    expect(Buffer.from(await bytesOf(await withChapters(enough, CHAPTERS))).includes("chpl")).toBe(true);
  });
  test("with long names end at a whole letter, and there are no more than fit", async () => {
    const many = Array.from({ length: 300 }, (_, i) => ({ at: i, title: "é".repeat(200) }));
    const file = blob(box("moov", ...box("mvhd", 7)), free(100_000), box("mdat", 5));
    const bytes = await bytesOf(await withChapters(file, many));
    const at = Buffer.from(bytes).indexOf("chpl") + 4;
    expect([bytes[at + 8], bytes[at + 17]]).toEqual([255, 254]);
  });
  test("of what is no such file are a fault", async () => {
    await expect(withChapters(blob(box("ftyp", 1), box("mdat", 5)), CHAPTERS)).rejects.toThrow(/not an MP4/);
    await expect(withChapters(new Blob(["text"]), CHAPTERS)).rejects.toThrow(/not an MP4/);
  });
});
