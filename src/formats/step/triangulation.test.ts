import { expect, test } from "vitest";
import type { Kernel } from "./kernel";
import { readTriangulation } from "./triangulation";

type Mesh = Parameters<typeof readTriangulation>[1];

const NODES = [
  [0, 0, 0],
  [4, 0, 0],
  [4, 3, 0.5],
  [0, 3, 0.5],
];
const TRIANGLES = [
  [1, 2, 3],
  [1, 3, 4],
];
const NORMALS = [0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1];

/** A kernel's memory with a mesh at a place in it, laid out as its compiler does; and the mesh as its calls tell it. */
function memory(change: (words: Uint32Array) => void = () => {}, asked: string[] = []): [Kernel, Mesh] {
  const buffer = new ArrayBuffer(4096);
  const [HEAPU8, HEAPU32, HEAP32] = [new Uint8Array(buffer), new Uint32Array(buffer), new Int32Array(buffer)];
  const [HEAPF64, HEAPF32] = [new Float64Array(buffer), new Float32Array(buffer)];
  const [at, nodes, triangles, normals] = [256, 1024, 2048, 3072];
  HEAPF64.set(NODES.flat(), nodes / 8);
  // The list of triangles begins before its first by one.
  HEAP32.set(TRIANGLES.flat(), (triangles + 12) / 4);
  HEAPF32.set(NORMALS, normals / 4);
  const words = HEAPU32.subarray(at / 4, at / 4 + 32);
  words.set([nodes, 24, NODES.length], 6);
  words.set([1, TRIANGLES.length], 10);
  words[13] = triangles;
  words.set([0, NODES.length - 1], 18);
  words[21] = normals;
  change(words);
  const told = (name: string, values: readonly number[]) => {
    asked.push(name);
    const [x, y, z] = values;
    return { X: () => x, Y: () => y, Z: () => z, Value: (k: number) => values[k - 1], delete: () => {} };
  };
  const mesh = {
    $$: { ptr: at },
    NbNodes: () => NODES.length,
    NbTriangles: () => TRIANGLES.length,
    HasNormals: () => true,
    Node: (i: number) => told(`node ${i}`, NODES[i - 1] as number[]),
    Triangle: (i: number) => told(`triangle ${i}`, TRIANGLES[i - 1] as number[]),
    Normal_1: (i: number) => told(`normal ${i}`, NORMALS.slice(3 * i - 3, 3 * i)),
  };
  return [{ HEAPU8, HEAPU32, HEAP32, HEAPF64, HEAPF32 } as unknown as Kernel, mesh as unknown as Mesh];
}

const WHOLE = { nodes: Float64Array.from(NODES.flat()), triangles: Int32Array.from([0, 1, 2, 0, 2, 3]) };

test("a mesh is read from memory at once: only its first and last corner are asked for", () => {
  const asked: string[] = [];
  const [kernel, mesh] = memory(undefined, asked);
  const read = readTriangulation(kernel, mesh);
  expect(read).toEqual({ ...WHOLE, normals: Float32Array.from(NORMALS) });
  expect(asked).toEqual(["node 1", "node 4"]);
  // It is a copy: the kernel may do with its memory what it likes.
  kernel.HEAPU8.fill(9);
  expect(read.nodes).toEqual(WHOLE.nodes);
});

test.each<[string, (words: Uint32Array) => void]>([
  ["another stride", (w) => (w[7] = 32)],
  ["another count", (w) => (w[8] = 5)],
  ["triangles counted from another", (w) => (w[10] = 0)],
  ["another number of triangles", (w) => (w[11] = 3)],
  ["corners that lie elsewhere", (w) => (w[6] = 1032)],
  ["corners that do not lie on a whole double", (w) => (w[6] = 1028)],
  ["corners beyond the end", (w) => (w[6] = 4080)],
  ["triangles that name what is not there", (w) => (w[13] = 2052)],
  ["triangles beyond the end", (w) => (w[13] = 4090)],
])("memory with %s is not trusted: everything is asked for", (_, change) => {
  const asked: string[] = [];
  const [kernel, mesh] = memory(change as (w: Uint32Array) => void, asked);
  expect(readTriangulation(kernel, mesh)).toEqual({ ...WHOLE, normals: Float32Array.from(NORMALS) });
  expect(asked.filter((a) => a.startsWith("triangle"))).toHaveLength(2);
});

test("normals of another kind are left to be worked out", () => {
  for (const change of [
    (w: Uint32Array) => (w[18] = 1),
    (w: Uint32Array) => (w[19] = 7),
    (w: Uint32Array) => (w[21] = 0),
  ])
    expect(readTriangulation(...memory(change as (w: Uint32Array) => void)).normals).toBeNull();
});
