import { execFile } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { promisify } from "node:util";
import { afterAll, beforeAll, expect, test } from "vitest";
import { HeldFrames } from "../../src/formats/out/video/heldFrames";

const run = promisify(execFile);
const [WIDE, HIGH, FRAMES] = [80, 48, 6];

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(path.join(tmpdir(), "held-"));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

/** A stream of another encoder: its units, without start codes. */
async function encoded(...how: string[]): Promise<Buffer[]> {
  const file = path.join(folder, "made.h264");
  const source = ["-f", "lavfi", "-i", `testsrc=size=${WIDE}x${HIGH}:rate=10`, "-frames:v", `${FRAMES}`];
  await run("ffmpeg", ["-v", "error", "-y", ...source, "-pix_fmt", "yuv420p", "-c:v", "libx264", ...how, file]);
  const bytes = await readFile(file);
  const units: Buffer[] = [];
  let from = -1;
  for (let i = 0; i + 3 <= bytes.length; i++) {
    if (bytes.readUIntBE(i, 3) !== 1) continue;
    if (from >= 0) units.push(bytes.subarray(from, bytes[i - 1] === 0 ? i - 1 : i));
    from = i + 3;
  }
  units.push(bytes.subarray(from));
  return units;
}
const kind = (u: Uint8Array) => (u[0] as number) & 31;

/** What a decoder's configuration says of a stream, with lengths of four bytes. */
function described(units: readonly Buffer[]): Uint8Array {
  const [sps, pps] = [7, 8].map((k) => units.find((u) => kind(u) === k) as Buffer);
  const set = (u: Buffer | undefined) => [1, ...[(u?.length ?? 0) >> 8, (u?.length ?? 0) & 255], ...(u ?? [])];
  return Uint8Array.from([1, ...(sps?.subarray(1, 4) ?? []), 0xff, 0xe0 | 1, ...set(sps).slice(1), ...set(pps)]);
}

/** What a stream shows: a picture a frame. */
async function shown(units: readonly Uint8Array[]): Promise<Buffer[]> {
  const file = path.join(folder, "held.h264");
  await writeFile(file, Buffer.concat(units.flatMap((u) => [Buffer.from([0, 0, 0, 1]), u])));
  const { stdout, stderr } = await run(
    "ffmpeg",
    ["-v", "warning", "-xerror", "-i", file, "-f", "rawvideo", "-pix_fmt", "yuv420p", "-fps_mode", "passthrough", "-"],
    { encoding: "buffer", maxBuffer: 1 << 26 },
  );
  expect(stderr.toString()).not.toMatch(/error|corrupt|conceal|missing/i);
  const each = (WIDE * HIGH * 3) / 2;
  return Array.from({ length: stdout.length / each }, (_, i) => stdout.subarray(i * each, (i + 1) * each));
}

/** A unit as a packet holds it. */
function packet(unit: Uint8Array): Uint8Array {
  const length = Buffer.alloc(4);
  length.writeUInt32BE(unit.length);
  return Buffer.concat([length, unit]);
}

const PLAIN = ["-profile:v", "baseline", "-bf", "0", "-g", "3", "-refs", "1"];
test.each([
  ["a plain stream", PLAIN],
  [
    "one whose order follows from its frames",
    [...PLAIN, "-x264-params", "bframes=0:no-deblock=1:ref=1:rc-lookahead=0"],
  ],
  [
    "several frames to refer to, several slices",
    ["-profile:v", "baseline", "-bf", "0", "-g", "6", "-refs", "3", "-slices", "2"],
  ],
  [
    "another profile without arithmetic coding",
    ["-profile:v", "high", "-coder", "0", "-bf", "0", "-g", "3", "-x264-params", "weightp=0"],
  ],
])("frames of %s are held to the last bit, wherever one stands", async (_, how) => {
  const units = await encoded(...how);
  const held = HeldFrames.of(described(units)) as HeldFrames;
  expect(held).not.toBeNull();
  const frames = units.filter((u) => kind(u) === 1 || kind(u) === 5);
  const plain = await shown(units);
  expect(plain).toHaveLength(FRAMES);
  // After each key frame, and after the very last, which is none: more than the numbers of frames go round.
  const each = frames.length / FRAMES;
  for (const [after, times] of [
    [0, 3],
    [FRAMES - 1, 40],
  ] as const) {
    expect(held.after(packet(frames[after * each] as Buffer))).toBe(true);
    const more = Array.from({ length: times }, () => held.next().subarray(4));
    const at = units.indexOf(frames[(after + 1) * each - 1] as Buffer) + 1;
    // What follows what is held is a key frame: the rest is left out where it is none.
    const rest = after === 0 ? [] : units.slice(at);
    const pictures = await shown([...units.slice(0, at), ...more, ...rest]);
    expect(pictures).toHaveLength(after + 1 + times);
    for (let i = 0; i <= after; i++) expect(pictures[i]?.equals(plain[i] as Buffer)).toBe(true);
    for (let i = 0; i < times; i++) expect(pictures[after + 1 + i]?.equals(plain[after] as Buffer), `${i}`).toBe(true);
    expect(Math.max(...more.map((u) => u.length))).toBeLessThan(16);
  }
});

test("what cannot be added to is told, not broken", async () => {
  expect(HeldFrames.of(described(await encoded("-profile:v", "main", "-coder", "1")))).toBeNull();
  expect(HeldFrames.of(new Uint8Array(4))).toBeNull();
  const held = HeldFrames.of(described(await encoded(...PLAIN))) as HeldFrames;
  expect(() => held.next()).toThrow("no frame to be held");
  // One that nothing refers to, as between frames that come later.
  expect(held.after(packet(Uint8Array.of(0x01, 0x9a, 0x00)))).toBe(false);
  expect(() => held.next()).toThrow("no frame to be held");
});
