import type { AssemblyIndex } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { Joint } from "../document/preparation";
import { invertedAffine, transformDirection, transformPoint } from "../math/mat4";
import { dot, minus, normalised, type ReadonlyTriple, shifted, type Triple, unit } from "../math/triple";
import type { Axis } from "./planar";

/** A plane in the assembly's frame at home: a point on it (mm) and its unit normal. */
export interface Plane {
  point: ReadonlyTriple;
  normal: ReadonlyTriple;
}

/** An axis of the assembly's frame at home in the frame that joints of a target are kept in. */
export function axisFor(index: AssemblyIndex, target: PartTarget, axis: Axis): { point: Triple; direction: Triple } {
  const node = target.type === "node" ? index.indexOf.get(target.key) : undefined;
  if (node === undefined) return { point: [...axis.point], direction: unit(axis.direction) };
  const back = invertedAffine(index.homeWorld, 16 * node);
  return { point: transformPoint(back, axis.point), direction: unit(transformDirection(back, axis.direction)) };
}

const reflectedPoint = (p: ReadonlyTriple, plane: Plane): Triple =>
  shifted(p, plane.normal, -2 * dot(minus(p, plane.point), plane.normal));
const reflected = (d: ReadonlyTriple, plane: Plane): Triple => shifted(d, plane.normal, -2 * dot(d, plane.normal));

/**
 * The mirror image of a joint: equal readings of both are mirror images of one another. A reflection turns the sense of
 * turning round, so an axis that turns is reflected and reversed, and the thread of a screw becomes one of the other
 * hand.
 * @param axis of the joint, assembly's frame at home
 * @returns the axis there, and the pitch
 */
export function mirroredAxis(joint: Pick<Joint, "kind" | "pitch">, axis: Axis, plane: Plane): Axis & { pitch: number } {
  const turns = joint.kind !== "slide";
  const direction = reflected(axis.direction, plane);
  return {
    point: reflectedPoint(axis.point, plane),
    direction: unit(turns ? [-direction[0], -direction[1], -direction[2]] : direction),
    pitch: joint.kind === "screw" ? -joint.pitch : joint.pitch,
  };
}

/** A normal this near to an axis of the assembly is meant to be it: half a degree. */
const NEARLY = Math.cos(Math.PI / 360);

/** The plane halfway between two places; null where they are the same. An axis of the assembly is taken if it is near. */
export function planeBetween(a: ReadonlyTriple, b: ReadonlyTriple): Plane | null {
  const along = normalised(minus(b, a));
  if (!along) return null;
  const axis = along.findIndex((v) => Math.abs(v) > NEARLY);
  const normal = axis < 0 ? along : ([0, 1, 2].map((k) => (k === axis ? 1 : 0)) as Triple);
  return { point: [0, 1, 2].map((k) => ((a[k] as number) + (b[k] as number)) / 2) as Triple, normal };
}
