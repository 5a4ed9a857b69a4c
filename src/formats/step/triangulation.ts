import type { Poly_Triangulation } from "opencascade.js";
import { nth } from "../../core/math/packed";
import type { Kernel } from "./kernel";

/** One face's triangles, as the kernel holds them: doubles, indices from 0. Views and copies are the caller's. */
export interface FaceMesh {
  nodes: Float64Array;
  normals: Float32Array | null;
  triangles: Int32Array;
}

/**
 * Where the arrays of a Poly_Triangulation lie in the kernel's memory. Asking node by node costs about a microsecond
 * each and an object to free; looking into the heap costs a copy. The layout belongs to the pinned kernel build, so
 * every read is checked against the official calls and falls back to them when anything disagrees.
 *
 *   word 6 nodes pointer | 7 bytes a node (24) | 8 nodes | 10 first, 11 last triangle | 13 triangles (at index 0)
 *   18 first, 19 last normal | 21 normals pointer (at index 0; three floats each)
 */
const WORD = {
  nodes: 6,
  stride: 7,
  count: 8,
  firstTriangle: 10,
  lastTriangle: 11,
  triangles: 13,
  firstNormal: 18,
  lastNormal: 19,
  normals: 21,
};

/** Reads a face's mesh. Copies, so it stays valid whatever the kernel does next. */
export function readTriangulation(kernel: Kernel, mesh: Poly_Triangulation): FaceMesh {
  return readFromHeap(kernel, mesh) ?? readByCalls(mesh);
}

function readFromHeap(kernel: Kernel, mesh: Poly_Triangulation): FaceMesh | null {
  const pointer = (mesh as unknown as { $$?: { ptr?: number } }).$$?.ptr;
  if (!pointer) return null;
  const word = (i: number) => nth(kernel.HEAPU32, (pointer >> 2) + i);
  const nodeCount = mesh.NbNodes();
  const triangleCount = mesh.NbTriangles();
  if (word(WORD.stride) !== 24 || word(WORD.count) !== nodeCount || nodeCount === 0) return null;
  if (word(WORD.firstTriangle) !== 1 || word(WORD.lastTriangle) !== triangleCount) return null;
  const at = word(WORD.nodes);
  if (at % 8 !== 0 || at + nodeCount * 24 > kernel.HEAPU8.length) return null;
  const nodes = kernel.HEAPF64.slice(at >> 3, (at >> 3) + nodeCount * 3);
  for (const i of [1, nodeCount]) {
    const p = mesh.Node(i);
    const same = p.X() === nodes[3 * i - 3] && p.Y() === nodes[3 * i - 2] && p.Z() === nodes[3 * i - 1];
    p.delete();
    if (!same) return null;
  }
  const first = word(WORD.triangles) + 12;
  if (first + triangleCount * 12 > kernel.HEAPU8.length) return null;
  const triangles = kernel.HEAP32.slice(first >> 2, (first >> 2) + triangleCount * 3);
  for (let i = 0; i < triangles.length; i++) {
    const v = nth(triangles, i) - 1;
    if (v < 0 || v >= nodeCount) return null;
    triangles[i] = v;
  }
  let normals: Float32Array | null = null;
  if (mesh.HasNormals() && word(WORD.firstNormal) === 0 && word(WORD.lastNormal) === nodeCount - 1) {
    const n = word(WORD.normals) >> 2;
    normals = kernel.HEAPF32.slice(n, n + nodeCount * 3);
    const length = Math.hypot(nth(normals, 0), nth(normals, 1), nth(normals, 2));
    if (!(Math.abs(length - 1) < 1e-3)) normals = null;
  }
  return { nodes, normals, triangles };
}

function readByCalls(mesh: Poly_Triangulation): FaceMesh {
  const nodeCount = mesh.NbNodes();
  const triangleCount = mesh.NbTriangles();
  const nodes = new Float64Array(nodeCount * 3);
  for (let i = 0; i < nodeCount; i++) {
    const p = mesh.Node(i + 1);
    nodes.set([p.X(), p.Y(), p.Z()], 3 * i);
    p.delete();
  }
  const triangles = new Int32Array(triangleCount * 3);
  for (let i = 0; i < triangleCount; i++) {
    const t = mesh.Triangle(i + 1);
    for (let k = 0; k < 3; k++) triangles[3 * i + k] = t.Value(k + 1) - 1;
    t.delete();
  }
  let normals: Float32Array | null = null;
  if (mesh.HasNormals()) {
    normals = new Float32Array(nodeCount * 3);
    for (let i = 0; i < nodeCount; i++) {
      const d = mesh.Normal_1(i + 1);
      normals.set([d.X(), d.Y(), d.Z()], 3 * i);
      d.delete();
    }
  }
  return { nodes, normals, triangles };
}
