import type { AssemblyIndex } from "../assembly/assembly";
import type { Joint } from "../document/preparation";
import type { Axis } from "../kinematics/planar";
import { transformDirection, transformPoint } from "../math/mat4";
import type { Triple } from "../math/triple";
import { unit } from "../math/triple";

/** A joint's axis in the frame its part departs in: the parent's at home; for a group the assembly's. */
export function jointFrame(index: AssemblyIndex, joint: Joint): { point: Triple; direction: Triple } {
  const node = joint.target.type === "node" ? index.indexOf.get(joint.target.key) : undefined;
  const home = node === undefined ? undefined : index.assembly.nodes[node]?.home;
  if (!home) return { point: joint.point, direction: joint.direction };
  return { point: transformPoint(home, joint.point), direction: unit(transformDirection(home, joint.direction)) };
}

/** A joint's axis in the assembly's frame at home. */
export function jointAxis(index: AssemblyIndex, joint: Joint): Axis {
  const node = joint.target.type === "node" ? index.indexOf.get(joint.target.key) : undefined;
  if (node === undefined) return { point: joint.point, direction: joint.direction };
  return {
    point: transformPoint(index.homeWorld, joint.point, 16 * node),
    direction: unit(transformDirection(index.homeWorld, joint.direction, 16 * node)),
  };
}
