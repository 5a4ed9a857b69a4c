import type { AssemblyIndex } from "../assembly/assembly";
import { axesAbout } from "../explode/bodies";
import type { Axis } from "../kinematics/planar";
import { nth } from "../math/packed";
import type { Geometry } from "./geometry";

/**
 * The axis that a part or sub-assembly is round about: that of most of its cylinders and cones by area, with all that
 * is below it. Assembly's frame at home, mm.
 * @returns null where it has no such faces
 */
export function ownAxis(index: AssemblyIndex, geometries: readonly Geometry[], nodes: readonly number[]): Axis | null {
  const parts: { g: Geometry; node: number }[] = [];
  for (const root of nodes) {
    for (let i = root; i < nth(index.end, root); i++) {
      const g = geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (g) parts.push({ g, node: i });
    }
  }
  const [first] = axesAbout(parts, index.homeWorld);
  return first ? { point: first.point, direction: first.direction } : null;
}
