import { expect, test } from "vitest";
import { HEAD_BYTES, webpFrame, webpHead, webpLength } from "./animated";

const tag = (name: string) => [...name].map((c) => c.charCodeAt(0));
const chunk = (name: string, ...content: number[]) => [
  ...[...tag(name), content.length, 0, 0, 0, ...content],
  ...(content.length % 2 ? [0] : []),
];
const still = (...chunks: number[][]) =>
  Uint8Array.from([...tag("RIFF"), 0, 0, 0, 0, ...tag("WEBP"), ...chunks.flat()]);
const u24 = (b: Uint8Array, at: number) =>
  (b[at] as number) + 256 * (b[at + 1] as number) + 65536 * (b[at + 2] as number);

test("the head tells the canvas less one and how often it plays", () => {
  const head = webpHead(640, 360, 3);
  expect(head).toHaveLength(HEAD_BYTES);
  expect([u24(head, 24), u24(head, 27)]).toEqual([639, 359]);
  expect([head[20], head[42], head[43]]).toEqual([0b10010, 3, 0]);
  // The container's own fields, byte by byte: reserved ones are nothing.
  expect([...head.subarray(12, 30)]).toEqual([...tag("VP8X"), 10, 0, 0, 0, 0b10010, 0, 0, 0, 127, 2, 0, 103, 1, 0]);
  expect([...head.subarray(30)]).toEqual([...tag("ANIM"), 6, 0, 0, 0, 0, 0, 0, 0, 3, 0]);
  expect([...webpLength(70_000)]).toEqual([...[69_992 & 255, (69_992 >> 8) & 255, 1, 0]]);
});

test("a frame holds the picture and its alpha, and how long it stands; of odd length it is padded", () => {
  const frame = webpFrame(still(chunk("VP8X", 0, 0), chunk("ALPH", 9), chunk("VP8 ", 1, 2, 3)), 64, 36, 1234);
  expect(String.fromCharCode(...frame.subarray(0, 4))).toBe("ANMF");
  expect(frame.length % 2).toBe(0);
  expect(u24(frame, 4)).toBe(frame.length - 8);
  expect([u24(frame, 14), u24(frame, 17), u24(frame, 20)]).toEqual([63, 35, 1234]);
  const text = Buffer.from(frame).toString("latin1");
  expect(text.includes("VP8X")).toBe(false);
  expect(text.indexOf("ALPH")).toBe(24);
  expect(text.indexOf("VP8 ")).toBe(34);
});

test("what is no picture is a fault", () => {
  expect(() => webpFrame(Uint8Array.from(tag("RIFF")), 1, 1, 1)).toThrow(/not a WebP/);
  expect(() => webpFrame(still(chunk("EXIF", 1, 2, 3, 4)), 1, 1, 1)).toThrow(/no picture/);
});
