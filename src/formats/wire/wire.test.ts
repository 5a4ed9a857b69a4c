import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { boxPackage } from "../../../tests/support/boxes";
import { type AssemblyPackage, decodePackage, encodePackage, PackageError } from "../../core/assembly/package";
import { packForWire } from "./pack";
import { wireReader } from "./unpack";

const boxes = boxPackage("Boxes", [
  { name: "small", at: [0, 0, 0], size: [1, 2, 3] },
  {
    name: "more",
    at: [5, 0, 0],
    children: [
      { name: "large", at: [0.1, 1 / 3, 1e-7], size: [500, 40, 1 / 7] },
      { name: "again", at: [9, 9, 9], size: [1, 2, 3] },
    ],
  },
]);

/** Sends bytes in pieces of some lengths. */
async function sent(bytes: Uint8Array, lengths: readonly number[] = [bytes.length]) {
  const reader = await wireReader();
  const told: { assembly: boolean; shapes: number[] }[] = [];
  for (let at = 0, n = 0; at < bytes.length; n++) {
    const length = Math.max(1, lengths[n % lengths.length] as number);
    const { assembly, shapes } = reader.push(bytes.subarray(at, at + length));
    told.push({ assembly: assembly !== null, shapes });
    at += length;
  }
  return { reader, told };
}

describe("a package on its way", () => {
  test("comes out the same to the last bit, however it is cut into pieces", async () => {
    const stored = encodePackage(boxes);
    const packed = await packForWire(stored);
    await fc.assert(
      fc.asyncProperty(fc.array(fc.integer({ min: 1, max: 400 }), { minLength: 1, maxLength: 8 }), async (lengths) => {
        const { reader, told } = await sent(packed, lengths);
        expect(Buffer.from(encodePackage(reader.end())).equals(Buffer.from(stored))).toBe(true);
        // The tree and the bounds first, and that once; then every shape once.
        const first = told.findIndex((t) => t.assembly);
        expect(told.filter((t) => t.assembly)).toHaveLength(1);
        expect(told.slice(0, first).every((t) => t.shapes.length === 0)).toBe(true);
        expect(told.flatMap((t) => t.shapes).sort()).toEqual(boxes.geometries.map((_, i) => i));
      }),
      { numRuns: 25 },
    );
  });

  test("numbers of every kind survive: tiny, huge, negative nothing, not quite a third", async () => {
    const odd = Float32Array.of(1e-38, -0, 1 / 3, 3e38, -1e-45, 123456.79, 0.1, 0.2, 0.30000001);
    const pkg: AssemblyPackage = {
      ...boxes,
      geometries: boxes.geometries.map((g, i) =>
        i === 0
          ? { ...g, positions: odd, normals: odd.slice(), indices: Uint32Array.of(2, 0, 1), edges: odd.slice(3) }
          : g,
      ),
    };
    const stored = encodePackage(pkg);
    const { reader } = await sent(await packForWire(stored));
    expect(Buffer.from(encodePackage(reader.end())).equals(Buffer.from(stored))).toBe(true);
  });

  test("edges that lie on no corner are sent by their places", async () => {
    const pkg = {
      ...boxes,
      geometries: boxes.geometries.map((g) => ({ ...g, edges: g.edges.map((v) => v + 0.25) })),
    };
    const { reader } = await sent(await packForWire(encodePackage(pkg)));
    expect(reader.end().geometries.map((g) => [...g.edges])).toEqual(pkg.geometries.map((g) => [...g.edges]));
  });

  test("how much has come is told as soon as the head says of how much", async () => {
    const packed = await packForWire(encodePackage(boxes));
    const reader = await wireReader();
    reader.push(packed.subarray(0, 10));
    expect(reader.share).toBeNull();
    reader.push(packed.subarray(10, packed.length - 40));
    expect(reader.share).toBeCloseTo(1 - 40 / packed.length, 12);
    reader.push(packed.subarray(packed.length - 40));
    expect(reader.share).toBe(1);
  });

  test("the largest shape comes first", async () => {
    const { reader, told } = await sent(await packForWire(encodePackage(boxes)), [64]);
    const order = told.flatMap((t) => t.shapes);
    const size = (i: number) => Math.max(...reader.shape(i).bounds.max);
    expect(order.map(size)).toEqual([...order.map(size)].sort((a, b) => b - a));
  });

  test("a shape without triangles is a shape", async () => {
    const empty = { ...boxes.geometries[0], positions: new Float32Array(0), normals: new Float32Array(0) };
    const pkg = {
      ...boxes,
      geometries: boxes.geometries.map((g, i) =>
        i === 0
          ? { ...g, ...empty, indices: new Uint32Array(0), edges: new Float32Array(0), faces: new Float64Array(0) }
          : g,
      ),
    } as AssemblyPackage;
    const { reader } = await sent(await packForWire(encodePackage(pkg)));
    expect(decodePackage(encodePackage(reader.end())).geometries[0]?.indices).toHaveLength(0);
  });

  test("what is cut off, foreign or damaged is refused in words", async () => {
    const packed = await packForWire(encodePackage(boxes));
    const cut = await sent(packed.subarray(0, packed.length - 3));
    expect(() => cut.reader.end()).toThrow(PackageError);
    await expect(sent(encodePackage(boxes))).rejects.toThrow("arrived damaged");
    const longer = await sent(Buffer.concat([packed, Buffer.of(1)]));
    expect(() => longer.reader.end()).toThrow(PackageError);
    await fc.assert(
      fc.asyncProperty(fc.nat(packed.length - 1), fc.integer({ min: 1, max: 255 }), async (at, by) => {
        const bent = packed.slice();
        bent[at] = (bent[at] as number) ^ by;
        // Nothing but such an error may come out; what a checksum would have to find is left to the connection.
        await sent(bent).then(
          ({ reader }) => {
            try {
              reader.end();
            } catch (error) {
              expect(error).toBeInstanceOf(PackageError);
            }
          },
          (error) => expect(error).toBeInstanceOf(PackageError),
        );
      }),
      { numRuns: 150 },
    );
  });
});
