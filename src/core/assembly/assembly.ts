import { z } from "zod";
import { multiplyAffine } from "../math/mat4";
import { nth } from "../math/packed";
import { MODEL_FORMATS } from "./sourceFormats";

/** Longest name kept from a CAD file, in characters. */
export const NAME_MAX = 200;
/** Most parts and sub-assemblies of one file, every instance counted, and most levels. */
export const NODES_MAX = 100_000;
export const NODE_DEPTH_MAX = 200;

const finite = z.number().refine(Number.isFinite, "must be a finite number");
const triple = z.tuple([finite, finite, finite]);

export const BoundsSchema = z.object({ min: triple, max: triple });
/** Axis-aligned box in mm. */
export type Bounds = z.infer<typeof BoundsSchema>;

export const AssemblyNodeSchema = z.object({
  /** Stable key: the path of occurrence names, `#2`, `#3` ... telling siblings of one name apart. */
  key: z.string().min(1),
  name: z.string().min(1).max(NAME_MAX),
  /** Index of the parent in `nodes`, always smaller than the node's own; -1 for a root. */
  parent: z.int().min(-1),
  kind: z.enum(["assembly", "part"]),
  /** Local home transform: 16 numbers, column-major, mm. */
  home: z.array(finite).length(16),
  /** Index into `geometries`; -1 for none. */
  geometry: z.int().min(-1),
  /**
   * Colour of this occurrence from CAD, linear RGB and opacity in 0..1, or null where its faces carry their own or
   * none is given.
   */
  color: z.tuple([finite, finite, finite, finite]).nullable(),
});
export type AssemblyNode = z.infer<typeof AssemblyNodeSchema>;

export const AssemblySchema = z.object({
  version: z.literal(1),
  name: z.string().min(1).max(NAME_MAX),
  format: z.enum(MODEL_FORMATS),
  /** Unit the source file was written in; everything here is already mm. */
  unit: z.string(),
  /** Axis that points up; the frame is right-handed. */
  up: z.enum(["y", "z"]),
  nodes: z.array(AssemblyNodeSchema).min(1),
  geometries: z.array(z.object({ id: z.string(), triangles: z.int().min(0), bounds: BoundsSchema })),
  /** What the reader had to mend or leave out, in plain words. */
  warnings: z.array(z.string()),
  /** Files that the source names and that were not given, by name. */
  missing: z.array(z.string()).optional(),
});
/** One CAD revision's tree: immutable, parents before children. */
export type Assembly = z.infer<typeof AssemblySchema>;

/** An assembly with the look-ups everything needs; built once a revision. */
export interface AssemblyIndex {
  readonly assembly: Assembly;
  readonly indexOf: ReadonlyMap<string, number>;
  readonly children: readonly (readonly number[])[];
  readonly roots: readonly number[];
  readonly depth: Int32Array;
  /** Home transforms as in the nodes, 16 doubles each, packed for the frame loop. */
  readonly homeLocal: Float64Array;
  /** 1 where a home transform only shifts. */
  readonly homeShifts: Uint8Array;
  /** Parent of each node, -1 for a root. */
  readonly parent: Int32Array;
  /** World home transforms, 16 doubles a node. */
  readonly homeWorld: Float64Array;
  /** World bounds at home, 6 doubles a node (min xyz, max xyz); inverted (min > max) where a node holds no geometry. */
  readonly worldBounds: Float64Array;
  /** One past the last descendant of a node, so a subtree is the range [i, end[i]). */
  readonly end: Int32Array;
}

/** Builds the look-ups. @throws RangeError when a parent does not come before its child or a key repeats. */
export function indexAssembly(assembly: Assembly): AssemblyIndex {
  const n = assembly.nodes.length;
  const indexOf = new Map<string, number>();
  const children: number[][] = Array.from({ length: n }, () => []);
  const roots: number[] = [];
  const depth = new Int32Array(n);
  const homeLocal = new Float64Array(16 * n);
  const homeShifts = new Uint8Array(n);
  const parent = new Int32Array(n);
  const homeWorld = new Float64Array(16 * n);
  const worldBounds = new Float64Array(6 * n);
  const end = new Int32Array(n);
  for (let i = 0; i < n; i++) {
    const node = assembly.nodes[i] as AssemblyNode;
    if (node.parent >= i) throw new RangeError(`Node ${i} ("${node.name}") comes before its parent.`);
    if (indexOf.has(node.key)) throw new RangeError(`Two nodes have the key "${node.key}".`);
    indexOf.set(node.key, i);
    homeLocal.set(node.home, 16 * i);
    homeShifts[i] = node.home.every((v, k) => k >= 12 || v === (k % 5 === 0 ? 1 : 0)) ? 1 : 0;
    parent[i] = node.parent;
    if (node.parent < 0) {
      roots.push(i);
      homeWorld.set(node.home, 16 * i);
    } else {
      (children[node.parent] as number[]).push(i);
      depth[i] = nth(depth, node.parent) + 1;
      multiplyAffine(homeWorld, 16 * i, homeWorld, 16 * node.parent, homeLocal, 16 * i);
    }
    end[i] = i + 1;
    emptyBounds(worldBounds, 6 * i);
    const geometry = node.geometry >= 0 ? assembly.geometries[node.geometry] : undefined;
    if (geometry) growByBox(worldBounds, 6 * i, geometry.bounds, homeWorld, 16 * i);
  }
  for (let i = n - 1; i >= 0; i--) {
    const owner = nth(parent, i);
    if (owner < 0) continue;
    end[owner] = Math.max(nth(end, owner), nth(end, i));
    unionBounds(worldBounds, 6 * owner, worldBounds, 6 * i);
  }
  return { assembly, indexOf, children, roots, depth, homeLocal, homeShifts, parent, homeWorld, worldBounds, end };
}

/** Sets a box to "holds nothing". */
export function emptyBounds(out: Float64Array, o = 0): void {
  out.fill(Number.POSITIVE_INFINITY, o, o + 3);
  out.fill(Number.NEGATIVE_INFINITY, o + 3, o + 6);
}

/** Grows a box by another. */
export function unionBounds(out: Float64Array, o: number, b: Float64Array, bo: number): void {
  for (let k = 0; k < 3; k++) {
    out[o + k] = Math.min(nth(out, o + k), nth(b, bo + k));
    out[o + 3 + k] = Math.max(nth(out, o + 3 + k), nth(b, bo + 3 + k));
  }
}

/** Grows a box by the eight corners of a local box under a transform. */
export function growByBox(out: Float64Array, o: number, box: Bounds, m: ArrayLike<number>, mo: number): void {
  for (let corner = 0; corner < 8; corner++) {
    const x = (corner & 1 ? box.max : box.min)[0];
    const y = (corner & 2 ? box.max : box.min)[1];
    const z = (corner & 4 ? box.max : box.min)[2];
    for (let k = 0; k < 3; k++) {
      const v = nth(m, mo + k) * x + nth(m, mo + 4 + k) * y + nth(m, mo + 8 + k) * z + nth(m, mo + 12 + k);
      if (v < nth(out, o + k)) out[o + k] = v;
      if (v > nth(out, o + 3 + k)) out[o + 3 + k] = v;
    }
  }
}

/** True when `ancestor` is `node` itself or holds it. */
export function holds(index: AssemblyIndex, ancestor: number, node: number): boolean {
  return node >= ancestor && node < nth(index.end, ancestor);
}
