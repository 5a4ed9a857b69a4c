import { FACE_STRIDE, type Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import { type Assembly, AssemblySchema, indexAssembly } from "./assembly";

/**
 * The package: what an imported assembly is stored and sent as. It is an ordinary GLB (glTF 2.0), so that other
 * programs open it, with what glTF has no word for in `extras`: the assembly document, and per mesh the face table.
 *
 *   JSON chunk   nodes = the tree (mm, under one root that scales to metres), meshes = shared geometries:
 *                primitive 0 triangles, primitive 1 feature edges (lines); extras.plextan.{assembly, meshes}
 *   BIN chunk    per geometry: face table (f64), positions (f32), normals (f32), indices (u32), edges (f32)
 */
export interface AssemblyPackage {
  assembly: Assembly;
  geometries: Geometry[];
}

const MAGIC = 0x46546c67;
const CHUNK_JSON = 0x4e4f534a;
const CHUNK_BIN = 0x004e4942;

/** Thrown when bytes are not a package of ours. */
export class PackageError extends Error {
  override readonly name = "PackageError";
}

interface MeshEntry {
  id: string;
  /** Byte offset and element count in the BIN chunk. */
  faces: [number, number];
  positions: [number, number];
  normals: [number, number];
  indices: [number, number];
  edges: [number, number];
}

/** Writes a package as GLB bytes. */
export function encodePackage(pkg: AssemblyPackage): Uint8Array {
  let offset = 0;
  const place = (count: number, size: number): [number, number] => {
    offset = Math.ceil(offset / 8) * 8;
    const at = offset;
    offset += count * size;
    return [at, count];
  };
  const entries: MeshEntry[] = pkg.geometries.map((g) => ({
    id: g.id,
    faces: place(g.faces.length, 8),
    positions: place(g.positions.length, 4),
    normals: place(g.normals.length, 4),
    indices: place(g.indices.length, 4),
    edges: place(g.edges.length, 4),
  }));
  const bin = new Uint8Array(Math.ceil(offset / 8) * 8);
  const views: object[] = [];
  const accessors: object[] = [];
  const add = (
    [byteOffset, count]: [number, number],
    kind: "VEC3" | "SCALAR",
    integer: boolean,
    range?: object,
  ): number => {
    views.push({ buffer: 0, byteOffset, byteLength: count * 4, target: integer ? 34963 : 34962 });
    accessors.push({
      bufferView: views.length - 1,
      componentType: integer ? 5125 : 5126,
      count: kind === "VEC3" ? count / 3 : count,
      type: kind,
      ...range,
    });
    return accessors.length - 1;
  };
  const meshes: object[] = [];
  const meshIndex = new Map<number, number>();
  pkg.geometries.forEach((g, i) => {
    const e = entries[i] as MeshEntry;
    new Float64Array(bin.buffer, e.faces[0], e.faces[1]).set(g.faces);
    new Float32Array(bin.buffer, e.positions[0], e.positions[1]).set(g.positions);
    new Float32Array(bin.buffer, e.normals[0], e.normals[1]).set(g.normals);
    new Uint32Array(bin.buffer, e.indices[0], e.indices[1]).set(g.indices);
    new Float32Array(bin.buffer, e.edges[0], e.edges[1]).set(g.edges);
    if (g.indices.length === 0) return;
    const primitives: object[] = [
      {
        attributes: { POSITION: add(e.positions, "VEC3", false, g.bounds), NORMAL: add(e.normals, "VEC3", false) },
        indices: add(e.indices, "SCALAR", true),
        mode: 4,
      },
    ];
    if (g.edges.length > 0) {
      primitives.push({ attributes: { POSITION: add(e.edges, "VEC3", false, edgeRange(g.edges)) }, mode: 1 });
    }
    meshIndex.set(i, meshes.length);
    meshes.push({ name: g.id, primitives });
  });
  const { assembly } = pkg;
  const nodes = assembly.nodes.map((node) => ({
    name: node.name,
    matrix: node.home,
    mesh: meshIndex.get(node.geometry),
    children: [] as number[],
  }));
  const roots: number[] = [];
  assembly.nodes.forEach((node, i) => {
    (nodes[node.parent]?.children ?? roots).push(i);
  });
  const k = 0.001;
  const toMetres =
    assembly.up === "z"
      ? [k, 0, 0, 0, 0, 0, -k, 0, 0, k, 0, 0, 0, 0, 0, 1]
      : [k, 0, 0, 0, 0, k, 0, 0, 0, 0, k, 0, 0, 0, 0, 1];
  const json = {
    asset: { version: "2.0", generator: "Plextan" },
    scene: 0,
    scenes: [{ nodes: [nodes.length] }],
    nodes: [
      ...nodes.map((n) => ({
        name: n.name,
        matrix: n.matrix,
        ...(n.mesh === undefined ? {} : { mesh: n.mesh }),
        ...(n.children.length ? { children: n.children } : {}),
      })),
      { name: assembly.name, matrix: toMetres, children: roots },
    ],
    ...(meshes.length ? { meshes, accessors, bufferViews: views, buffers: [{ byteLength: bin.byteLength }] } : {}),
    extras: { plextan: { package: 1, assembly, meshes: entries } },
  };
  return writeGlb(json, bin);
}

function edgeRange(edges: Float32Array): { min: number[]; max: number[] } {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < edges.length; i++) {
    const v = nth(edges, i);
    if (v < nth(min, i % 3)) min[i % 3] = v;
    if (v > nth(max, i % 3)) max[i % 3] = v;
  }
  return { min, max };
}

/** Puts a glTF JSON and a binary chunk together as GLB. */
export function writeGlb(json: unknown, bin: Uint8Array): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(json));
  // The BIN chunk starts on a multiple of 8 in the file, so typed arrays of doubles can look straight into it.
  const jsonLength = Math.ceil((text.length + 4) / 8) * 8 - 4;
  const total = 12 + 8 + jsonLength + (bin.length ? 8 + bin.length : 0);
  const out = new Uint8Array(total);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, 2, true);
  view.setUint32(8, total, true);
  view.setUint32(12, jsonLength, true);
  view.setUint32(16, CHUNK_JSON, true);
  out.fill(0x20, 20, 20 + jsonLength);
  out.set(text, 20);
  if (bin.length) {
    view.setUint32(20 + jsonLength, bin.length, true);
    view.setUint32(24 + jsonLength, CHUNK_BIN, true);
    out.set(bin, 28 + jsonLength);
  }
  return out;
}

/** The assembly document of a package, from its beginning alone: header and description. @throws PackageError */
export function decodeAssembly(head: Uint8Array): Assembly {
  return describe(head).assembly;
}

function describe(bytes: Uint8Array): { assembly: Assembly; meshes: MeshEntry[]; jsonLength: number } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 20 || view.getUint32(0, true) !== MAGIC) throw new PackageError("This is not a Plextan package.");
  const jsonLength = view.getUint32(12, true);
  if (20 + jsonLength > bytes.length) throw new PackageError("The package ends too early.");
  let json: { extras?: { plextan?: { assembly: unknown; meshes: MeshEntry[] } } };
  try {
    json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + jsonLength)));
  } catch {
    throw new PackageError("The package's description cannot be read.");
  }
  const ours = json.extras?.plextan;
  if (!ours) throw new PackageError("This GLB is not a Plextan package.");
  const parsed = AssemblySchema.safeParse(ours.assembly);
  if (!parsed.success)
    throw new PackageError(`The package's assembly is not valid: ${parsed.error.issues[0]?.message ?? "unknown"}.`);
  if (!Array.isArray(ours.meshes) || parsed.data.geometries.length !== ours.meshes.length)
    throw new PackageError("The package's geometry list does not fit its meshes.");
  return { assembly: parsed.data, meshes: ours.meshes, jsonLength };
}

/**
 * Reads a package. The geometry arrays look into `bytes` where alignment allows; nothing is copied then.
 * @throws PackageError when the bytes are not a whole package.
 */
export function decodePackage(bytes: Uint8Array): AssemblyPackage {
  const { assembly, meshes, jsonLength } = describe(bytes);
  indexAssembly(assembly);
  const base = bytes.byteOffset + 28 + jsonLength;
  const limit = bytes.length - 28 - jsonLength;
  const slice = <T>(
    make: new (b: ArrayBufferLike, o: number, n: number) => T,
    [at, count]: [number, number],
    size: number,
  ): T => {
    if (!(at >= 0 && count >= 0 && at + count * size <= Math.max(0, limit)))
      throw new PackageError("The package points outside its data.");
    if (count === 0) return new make(new ArrayBuffer(0), 0, 0);
    if ((base + at) % size === 0) return new make(bytes.buffer, base + at, count);
    // Copied by the constructor: a Node Buffer's own slice would share memory.
    return new make(
      new Uint8Array(bytes.subarray(base + at - bytes.byteOffset, base + at - bytes.byteOffset + count * size)).buffer,
      0,
      count,
    );
  };
  const geometries = meshes.map((m, i): Geometry => {
    const bounds = assembly.geometries[i]?.bounds;
    if (!bounds || m.faces[1] % FACE_STRIDE !== 0) throw new PackageError("The package's face table is damaged.");
    return {
      id: m.id,
      faces: slice(Float64Array, m.faces, 8),
      positions: slice(Float32Array, m.positions, 4),
      normals: slice(Float32Array, m.normals, 4),
      indices: slice(Uint32Array, m.indices, 4),
      edges: slice(Float32Array, m.edges, 4),
      bounds,
    };
  });
  return { assembly, geometries };
}
