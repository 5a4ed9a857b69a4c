import { indexAssembly } from "../core/assembly/assembly";
import { checkPackage } from "../core/assembly/checkPackage";
import type { AssemblyPackage } from "../core/assembly/package";
import { shareCongruent } from "../core/geometry/congruent";
import { nth } from "../core/math/packed";

/**
 * The last of every reader: what came of a file is checked as a whole, tidied, and doubted where its size is odd.
 * @throws PackageError
 */
export function finished(pkg: AssemblyPackage): AssemblyPackage {
  checkPackage(pkg);
  return checkPlausible(recognise(pkg));
}

/** Lets identical bodies share their shape again, in files that repeat it. */
export function recognise(pkg: AssemblyPackage): AssemblyPackage {
  const { nodes, geometries, recognised } = shareCongruent(pkg.assembly.nodes, pkg.geometries);
  if (recognised === 0) return pkg;
  return {
    geometries,
    assembly: {
      ...pkg.assembly,
      nodes,
      geometries: geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
    },
  };
}

/** Sizes that a product hardly has: said, so that a wrong unit is found before anything is keyed. */
export const LARGE_MM = 500_000;
export const SMALL_MM = 0.5;

/** Largest extent of an assembly at home, mm. */
export function extentOf(pkg: AssemblyPackage): number {
  const index = indexAssembly(pkg.assembly);
  let most = 0;
  for (const root of index.roots)
    for (let k = 0; k < 3; k++)
      most = Math.max(most, nth(index.worldBounds, 6 * root + 3 + k) - nth(index.worldBounds, 6 * root + k));
  return most;
}

/** Adds a warning where a size tells that the unit may be wrong. */
export function checkPlausible(pkg: AssemblyPackage): AssemblyPackage {
  const extent = extentOf(pkg);
  if (extent <= LARGE_MM && extent >= SMALL_MM) return pkg;
  const size = extent > LARGE_MM ? `${Math.round(extent / 1000)} m across` : `only ${extent.toPrecision(2)} mm across`;
  return {
    ...pkg,
    assembly: {
      ...pkg.assembly,
      warnings: [
        ...pkg.assembly.warnings,
        `The model is ${size}, taken as written in ${pkg.assembly.unit}. If that is wrong, choose another unit under "Assembly" in the head.`,
      ],
    },
  };
}
