import type { Assembly } from "../../core/assembly/assembly";
import { cleanName, flattenTree, type RawNode } from "../../core/assembly/build";
import { folded } from "../../core/assembly/fold";
import type { AssemblyPackage } from "../../core/assembly/package";
import type { Geometry } from "../../core/geometry/geometry";
import { ImportError } from "../importError";

export const IDENTITY: readonly number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** Puts what a reader found together as a package. A file with several roots gets one of the file's name above them. */
export function assemble(
  roots: RawNode[],
  geometries: Geometry[],
  fileName: string,
  about: { format: Assembly["format"]; unit: string; up: "y" | "z"; warnings: string[]; kind: string },
): AssemblyPackage {
  if (geometries.length === 0)
    throw new ImportError("no-geometry", `The ${about.kind} file holds no triangles that could be drawn.`);
  const title = cleanName(fileName.replace(/\.[^.]*$/, ""), "Assembly").name;
  const tree: RawNode[] =
    roots.length === 1 && (roots[0]?.children.length ?? 0) > 0
      ? roots
      : [{ name: title, home: [...IDENTITY], geometry: -1, color: null, children: roots }];
  const shown = folded(tree, geometries, about.warnings);
  const nodes = flattenTree(shown.roots, about.warnings);
  return {
    assembly: {
      version: 1,
      name: title,
      format: about.format,
      unit: about.unit,
      up: about.up,
      nodes,
      geometries: shown.geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
      warnings: about.warnings,
    },
    geometries: shown.geometries,
  };
}
