import { packLinear } from "../color/srgb";
import { boundsOf, FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../geometry/geometry";
import { multiplied } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { type Bounds, growByBox } from "./assembly";
import type { RawNode } from "./build";

/** More parts and sub-assemblies than this are not shown one by one: up to here the desk was tried. */
export const SHOWN_MAX = 10_000;
/** Triangles that sub-assemblies folded into one part may have in all; their smallest pieces go first. */
const TRIANGLES_MAX = 4_000_000;
/**
 * Triangles that are drawn in all, each occurrence counted: what a modest graphics card draws while it plays. And in
 * software, where one of 20 million stands still after a click, one can still look.
 */
const DRAWN_MAX = 8_000_000;
const HERE: readonly number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** So many names of what was folded are told. */
const NAMED = 3;

export interface FoldLimits {
  nodes?: number;
  /** In the shapes of what is folded. */
  triangles?: number;
  /** In all occurrences of everything. */
  drawn?: number;
}

/** A part or sub-assembly by what it is: all its occurrences are one of these. */
interface Kind {
  sample: RawNode;
  children: { kind: Kind; home: readonly number[] }[];
  /** Box in its own frame, mm; null where there is nothing to be seen. */
  bounds: Bounds | null;
  size: number;
  triangles: number;
  /** How many there are in the tree. */
  times: number;
}

/**
 * Makes an assembly that places more than can be worked with one by one into one that can: sub-assemblies, the
 * smallest first, become one part each; where that is not enough, as in a tree without levels, the smallest parts are
 * left out. What was done is said in the warnings. An assembly within the limits stays as it is.
 * @param roots as a reader found them; not changed @param geometries all that the tree uses; not changed
 */
export function folded(
  roots: RawNode[],
  geometries: Geometry[],
  warnings: string[],
  { nodes: most = SHOWN_MAX, triangles: room = TRIANGLES_MAX, drawn: mostDrawn = DRAWN_MAX }: FoldLimits = {},
): { roots: RawNode[]; geometries: Geometry[] } {
  let count = 0;
  const counting = (n: RawNode) => {
    count++;
    n.children.forEach(counting);
  };
  roots.forEach(counting);
  if (count <= most) return { roots, geometries };
  const kinds = new Kinds(geometries);
  const top = roots.map((r) => kinds.of(r));
  // What is there is what stands at the top, as often as it does, with all in it.
  const tops = new Set(top);
  const list = kinds.list.filter((k) => k.children.length > 0 && !tops.has(k) && k.triangles > 0);
  list.sort((a, b) => a.size - b.size);
  // The fewest that have to be folded, found by halving.
  let [low, high] = [0, list.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (countOf(top, new Set(list.slice(0, middle))) <= most) high = middle;
    else low = middle + 1;
  }
  const gone = new Set(list.slice(0, low));
  const outer = outermost(top, gone);
  const out = [...geometries];
  const made = new Map<Kind, RawNode>();
  const whole = [...outer].reduce((n, k) => n + k.triangles, 0);
  const inFolded = [...outer].reduce((n, k) => n + k.triangles * k.times, 0);
  const beside = Math.max(0, top.reduce((n, k) => n + k.triangles, 0) - inFolded);
  // Each keeps the same share of its triangles.
  const share = Math.min(room / Math.max(1, whole), Math.max(0, mostDrawn - beside) / Math.max(1, inFolded));
  let lost = 0;
  let filled = 0;
  for (const k of outer) {
    const one = merged(k, geometries, `g${out.length}`, Math.floor(k.triangles * share + 1e-9));
    lost += one.left * k.times;
    if (one.filled) filled += k.times;
    out.push(one.geometry);
    made.set(k, { name: k.sample.name, home: [...HERE], geometry: out.length - 1, color: one.color, children: [] });
  }
  const rest = countOf(top, gone) - most;
  const least = rest > 0 ? smallest(top, gone, rest) : null;
  let omitted = 0;
  let largest = 0;
  const rebuilt = (n: RawNode, k: Kind): RawNode | null => {
    const one = made.get(k);
    if (one) return { ...one, name: n.name, home: n.home, color: one.color ?? n.color };
    if (least && n.children.length === 0 && least.drop(k)) {
      omitted++;
      largest = Math.max(largest, k.size);
      return null;
    }
    const children = n.children.flatMap((c, i) => rebuilt(c, (k.children[i] as Kind["children"][number]).kind) ?? []);
    // Of what has lost all that was in it nothing is left.
    return n.children.length > 0 && children.length === 0 ? null : { ...n, children };
  };
  const tree = roots.flatMap((r, i) => rebuilt(r, top[i] as Kind) ?? []);
  const total = `The file places ${count.toLocaleString("en")} parts and sub-assemblies; up to ${most.toLocaleString("en")} can be shown one by one.`;
  const many = [...outer].reduce((n, k) => n + k.times, 0);
  const names = [...new Set([...outer].sort((a, b) => b.size - a.size).map((k) => k.sample.name || "without a name"))];
  const named =
    names.slice(0, NAMED).join(", ") + (names.length > NAMED ? ` and ${names.length - NAMED} other kinds` : "");
  if (many > 0)
    warnings.push(
      `${total} ${many === 1 ? "A sub-assembly was taken as one part" : `${many.toLocaleString("en")} sub-assemblies were taken as one part each, the smallest first`}: ${named}. To move what is in ${many === 1 ? "it" : "them"}, split the assembly.`,
    );
  if (lost > 0)
    warnings.push(
      `${lost.toLocaleString("en")} of the smallest pieces within them are not drawn, since all would be too many triangles.`,
    );
  if (filled > 0)
    warnings.push(
      `In ${filled.toLocaleString("en")} of them some pieces could be looked through and others not: a part is one or the other.`,
    );
  if (omitted > 0)
    warnings.push(
      `${many > 0 ? "" : `${total} `}${omitted.toLocaleString("en")} of the smallest parts, up to ${told(largest)} mm across, ${omitted === 1 ? "was" : "were"} left out.`,
    );
  return used(tree, out);
}

const told = (mm: number) => (mm >= 10 ? Math.ceil(mm).toLocaleString("en") : mm.toPrecision(2));

/** Nodes of a tree by what they are. */
class Kinds {
  readonly list: Kind[] = [];
  private readonly byText = new Map<string, Kind>();
  private readonly numbers = new Map<Kind, number>();

  constructor(private readonly geometries: readonly Geometry[]) {}

  of(n: RawNode): Kind {
    const children = n.children.map((c) => ({ kind: this.of(c), home: c.home }));
    const text = `${n.geometry} ${n.color?.join(",") ?? ""} ${children.map((c) => `${this.numbers.get(c.kind)}@${c.home.join(",")}`).join(" ")}`;
    const known = this.byText.get(text);
    if (known) {
      known.times++;
      return known;
    }
    const own = this.geometries[n.geometry];
    let bounds: Bounds | null = own && own.positions.length > 0 ? own.bounds : null;
    let triangles = own ? own.indices.length / 3 : 0;
    for (const c of children) {
      triangles += c.kind.triangles;
      if (c.kind.bounds) bounds = grown(bounds, c.kind.bounds, c.home);
    }
    const size = bounds ? Math.hypot(...bounds.max.map((v, i) => v - nth(bounds.min, i))) : 0;
    const made = { sample: n, children, bounds, size, triangles, times: 1 };
    this.byText.set(text, made);
    this.numbers.set(made, this.numbers.size);
    this.list.push(made);
    return made;
  }
}

function grown(bounds: Bounds | null, inner: Bounds, home: readonly number[]): Bounds {
  const box = Float64Array.of(
    ...(bounds?.min ?? [Infinity, Infinity, Infinity]),
    ...(bounds?.max ?? [-Infinity, -Infinity, -Infinity]),
  );
  growByBox(box, 0, inner, home, 0);
  return { min: [...box.subarray(0, 3)] as Triple, max: [...box.subarray(3)] as Triple };
}

/** How many nodes there are when some kinds are one node each. */
function countOf(top: readonly Kind[], gone: ReadonlySet<Kind>): number {
  const known = new Map<Kind, number>();
  const of = (k: Kind): number => {
    if (gone.has(k)) return 1;
    const before = known.get(k);
    if (before !== undefined) return before;
    let n = 1;
    for (const c of k.children) n += of(c.kind);
    known.set(k, n);
    return n;
  };
  return top.reduce((n, k) => n + of(k), 0);
}

/** Kinds that are folded and lie in none that is. */
function outermost(top: readonly Kind[], gone: ReadonlySet<Kind>): Set<Kind> {
  const out = new Set<Kind>();
  const seen = new Set<Kind>();
  const walk = (k: Kind) => {
    if (seen.has(k)) return;
    seen.add(k);
    if (gone.has(k)) out.add(k);
    else for (const c of k.children) walk(c.kind);
  };
  top.forEach(walk);
  return out;
}

/** Which parts are left out so that `rest` fewer are there: the smallest, as many of the last kind as it takes. */
function smallest(top: readonly Kind[], gone: ReadonlySet<Kind>, rest: number): { drop(k: Kind): boolean } {
  const times = new Map<Kind, number>();
  const walk = (k: Kind) => {
    if (gone.has(k)) return;
    if (k.children.length === 0) times.set(k, (times.get(k) ?? 0) + 1);
    for (const c of k.children) walk(c.kind);
  };
  top.forEach(walk);
  const drops = new Map<Kind, number>();
  for (const [k, n] of [...times].sort((a, b) => a[0].size - b[0].size)) {
    if (rest <= 0) break;
    drops.set(k, Math.min(n, rest));
    rest -= n;
  }
  return {
    drop: (k) => {
      const left = drops.get(k) ?? 0;
      if (left > 0) drops.set(k, left - 1);
      return left > 0;
    },
  };
}

interface Piece {
  geometry: Geometry;
  at: readonly number[];
  color: RawNode["color"];
  size: number;
}

/** One shape of all that is in a kind; what is beyond `room` triangles is left away, the smallest pieces first. */
function merged(
  kind: Kind,
  geometries: readonly Geometry[],
  id: string,
  room: number,
): { geometry: Geometry; color: RawNode["color"]; left: number; filled: boolean } {
  let pieces: Piece[] = [];
  const gather = (k: Kind, at: readonly number[], color: RawNode["color"]) => {
    const own = k.sample.color ?? color;
    const geometry = geometries[k.sample.geometry];
    if (geometry && geometry.indices.length > 0) pieces.push({ geometry, at, color: own, size: sizeOf(geometry) });
    for (const c of k.children) gather(c.kind, multiplied(at, c.home), own);
  };
  gather(kind, HERE, null);
  const all = pieces.length;
  pieces.sort((a, b) => b.size - a.size);
  let triangles = 0;
  pieces = pieces.filter((p, i) => {
    const own = p.geometry.indices.length / 3;
    if (i > 0 && triangles + own > room) return false;
    triangles += own;
    return true;
  });
  // The part has the colour of its largest piece, and none where a piece has none; the faces of others have theirs.
  const color = pieces.some((p) => p.color === null) ? null : (pieces[0]?.color ?? null);
  const filled = pieces.some((p) => p.color && p.color[3] !== (color?.[3] ?? 1));
  return { geometry: joined(pieces, color, id), color, left: all - pieces.length, filled };
}

const sizeOf = ({ bounds: { min, max } }: Geometry) => Math.hypot(...max.map((v, k) => v - nth(min, k)));

function joined(pieces: readonly Piece[], color: RawNode["color"], id: string): Geometry {
  const sum = (of: (g: Geometry) => number) => pieces.reduce((n, p) => n + of(p.geometry), 0);
  const positions = new Float32Array(sum((g) => g.positions.length));
  const normals = new Float32Array(positions.length);
  const indices = new Uint32Array(sum((g) => g.indices.length));
  const edges = new Float32Array(sum((g) => g.edges.length));
  const faces = new Float64Array(sum((g) => Math.max(FACE_STRIDE, g.faces.length)));
  let [v, i, e, f] = [0, 0, 0, 0];
  for (const { geometry: g, at, color: own } of pieces) {
    place(g.positions, at, positions, v);
    turn(g.normals, at, normals, v);
    place(g.edges, at, edges, e);
    const flipped = determinant(at) < 0;
    for (let t = 0; t < g.indices.length; t += 3)
      for (let k = 0; k < 3; k++) indices[i + t + k] = nth(g.indices, t + (flipped ? 2 - k : k)) + v / 3;
    const table = g.faces.length > 0 ? g.faces : wholeMesh(g.indices.length / 3);
    for (let o = 0; o < table.length; o += FACE_STRIDE) {
      faces.set(table.subarray(o, o + FACE_STRIDE), f + o);
      faces[f + o] = nth(table, o) + i / 3;
      place(table.subarray(o + 3, o + 6), at, faces, f + o + 3);
      turn(table.subarray(o + 6, o + 9), at, faces, f + o + 6);
      if (nth(table, o + 11) < 0 && own && own.join() !== color?.join())
        faces[f + o + 11] = packLinear(own[0], own[1], own[2]);
    }
    v += g.positions.length;
    i += g.indices.length;
    e += g.edges.length;
    f += table.length;
  }
  return { ...{ id, positions, normals, indices, edges, faces }, bounds: boundsOf(positions) };
}

/** The face table of a mesh without faces: one that is all of it. */
function wholeMesh(triangles: number): Float64Array {
  const row = new Float64Array(FACE_STRIDE);
  row[1] = triangles;
  row[2] = SURFACE_KINDS.indexOf("mesh");
  row[11] = -1;
  return row;
}

/** Places (xyz) under a transform. */
function place(from: ArrayLike<number>, m: ArrayLike<number>, to: Float32Array | Float64Array, o: number): void {
  for (let i = 0; i < from.length; i += 3)
    for (let r = 0; r < 3; r++)
      to[o + i + r] =
        nth(m, r) * nth(from, i) + nth(m, 4 + r) * nth(from, i + 1) + nth(m, 8 + r) * nth(from, i + 2) + nth(m, 12 + r);
}

/** Directions (xyz) under a placement, of length 1 again; none stay none. */
function turn(from: ArrayLike<number>, m: ArrayLike<number>, to: Float32Array | Float64Array, o: number): void {
  for (let i = 0; i < from.length; i += 3) {
    for (let r = 0; r < 3; r++)
      to[o + i + r] = nth(m, r) * nth(from, i) + nth(m, 4 + r) * nth(from, i + 1) + nth(m, 8 + r) * nth(from, i + 2);
    const long = Math.hypot(nth(to, o + i), nth(to, o + i + 1), nth(to, o + i + 2));
    if (long > 0) for (let r = 0; r < 3; r++) to[o + i + r] = nth(to, o + i + r) / long;
  }
}

const determinant = (m: ArrayLike<number>) =>
  nth(m, 0) * (nth(m, 5) * nth(m, 10) - nth(m, 9) * nth(m, 6)) -
  nth(m, 4) * (nth(m, 1) * nth(m, 10) - nth(m, 9) * nth(m, 2)) +
  nth(m, 8) * (nth(m, 1) * nth(m, 6) - nth(m, 5) * nth(m, 2));

/** Without the shapes that nothing uses any more. */
function used(roots: RawNode[], geometries: readonly Geometry[]): { roots: RawNode[]; geometries: Geometry[] } {
  const numbers = new Map<number, number>();
  const walk = (n: RawNode): RawNode => {
    if (n.geometry >= 0 && !numbers.has(n.geometry)) numbers.set(n.geometry, numbers.size);
    return { ...n, geometry: numbers.get(n.geometry) ?? -1, children: n.children.map(walk) };
  };
  const tree = roots.map(walk);
  return {
    roots: tree,
    geometries: [...numbers.keys()].map((g, i) => ({ ...(geometries[g] as Geometry), id: `g${i}` })),
  };
}
