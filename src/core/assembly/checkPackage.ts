import { FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../geometry/geometry";
import { nth } from "../math/packed";
import { NODE_DEPTH_MAX, NODES_MAX } from "./assembly";
import { type AssemblyPackage, PackageError } from "./package";

/**
 * Checks everything inside a package that something later relies on without looking: numbers that are numbers,
 * indices and faces within their lists, a tree within its limits. Whatever reader made it, nothing else comes in.
 * @throws PackageError that says what is wrong and where
 */
export function checkPackage({ assembly, geometries }: AssemblyPackage): void {
  if (assembly.nodes.length > NODES_MAX)
    throw new PackageError(
      `The assembly has ${assembly.nodes.length.toLocaleString("en")} parts and sub-assemblies; ${NODES_MAX.toLocaleString("en")} can be taken.`,
    );
  const depth = new Int32Array(assembly.nodes.length);
  assembly.nodes.forEach((node, i) => {
    if (node.parent >= i) throw new PackageError(`The node "${short(node.name)}" comes before its owner.`);
    depth[i] = node.parent < 0 ? 0 : nth(depth, node.parent) + 1;
    if (nth(depth, i) > NODE_DEPTH_MAX)
      throw new PackageError(`The assembly nests deeper than ${NODE_DEPTH_MAX} levels.`);
    if (node.geometry >= geometries.length)
      throw new PackageError(`The part "${short(node.name)}" names a shape that is not there.`);
    if (!node.home.every(Number.isFinite))
      throw new PackageError(`The placement of "${short(node.name)}" holds a number that is none.`);
    if (node.color && !node.color.every(Number.isFinite))
      throw new PackageError(`The colour of "${short(node.name)}" holds a number that is none.`);
  });
  for (const [i, g] of geometries.entries()) checkGeometry(g, nameOf(assembly, i));
}

function checkGeometry(g: Geometry, name: string): void {
  for (const [what, list] of [
    ["a coordinate", g.positions],
    ["a normal", g.normals],
    ["an edge", g.edges],
    ["a face", g.faces],
  ] as const)
    for (let i = 0; i < list.length; i++)
      if (!Number.isFinite(list[i]))
        throw new PackageError(`The shape of "${name}" holds ${what} that is not a number.`);
  if (
    g.positions.length % 3 !== 0 ||
    g.normals.length !== g.positions.length ||
    g.indices.length % 3 !== 0 ||
    g.edges.length % 6 !== 0
  )
    throw new PackageError(`The lists of the shape of "${name}" do not fit one another.`);
  const vertices = g.positions.length / 3;
  for (let i = 0; i < g.indices.length; i++)
    if (nth(g.indices, i) >= vertices)
      throw new PackageError(`A triangle of "${name}" names a corner that is not there.`);
  const triangles = g.indices.length / 3;
  let next = 0;
  for (let f = 0; f < g.faces.length; f += FACE_STRIDE) {
    const [first, count, kind] = [nth(g.faces, f), nth(g.faces, f + 1), nth(g.faces, f + 2)];
    // Faces follow one another without gaps; looking up a triangle's face relies on it.
    if (
      first !== next ||
      !Number.isInteger(count) ||
      count < 0 ||
      first + count > triangles ||
      !(kind in SURFACE_KINDS)
    )
      throw new PackageError(`The face table of "${name}" does not fit its triangles.`);
    next = first + count;
  }
  if (g.faces.length > 0 && next !== triangles)
    throw new PackageError(`The face table of "${name}" leaves out triangles.`);
  for (const end of [g.bounds.min, g.bounds.max])
    if (!end.every(Number.isFinite)) throw new PackageError(`The size of "${name}" is not a number.`);
}

const short = (name: string) => name.slice(0, 60);
const nameOf = (assembly: AssemblyPackage["assembly"], geometry: number) =>
  short(assembly.nodes.find((n) => n.geometry === geometry)?.name ?? `shape ${geometry + 1}`);
