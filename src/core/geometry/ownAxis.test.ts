import { expect, test } from "vitest";
import { cubePackage, smallIndex } from "../../../tests/support/assembly";
import { nth } from "../math/packed";
import { FACE_STRIDE } from "./geometry";
import { ownAxis } from "./ownAxis";

/** The small assembly's shared cube with one face told to be round, of so many triangles, about an axis. */
function geometries(faces: readonly { kind: number; axis: readonly number[]; point: readonly number[] }[]) {
  const { geometries: all } = cubePackage();
  const [g] = all;
  if (!g) throw new Error("no shape");
  faces.forEach((f, i) => {
    g.faces.set([f.kind, ...f.point, ...f.axis, 4], i * FACE_STRIDE + 2);
  });
  return all;
}
const index = smallIndex();
const at = (k: string) => index.indexOf.get(k) as number;
const CYLINDER = 1;
const CONE = 2;
const SPHERE = 3;

test("the axis of most of the round faces, in the assembly's frame; of those along one line together", () => {
  // Two faces about Y against one about Z: the arm has them turned by a quarter, so its Y is the assembly's -X.
  const shapes = geometries([
    { kind: CYLINDER, axis: [0, 0, 1], point: [0, 0, 0] },
    { kind: CYLINDER, axis: [0, 1, 0], point: [1, 0, 0] },
    { kind: CONE, axis: [0, -1, 0], point: [1, 7, 0] },
  ]);
  const axis = ownAxis(index, shapes, [at("root/arm/a")]);
  expect(Math.abs(nth(axis?.direction ?? [0], 0))).toBeCloseTo(1, 9);
  // A millimetre along the part's X is one along the assembly's Y; the part stands at 100, 20.
  expect(nth(axis?.point ?? [], 1)).toBeCloseTo(21, 9);
  expect(nth(axis?.point ?? [], 2)).toBeCloseTo(0, 9);
});

test("a sub-assembly's is that of all below it; balls have none, and neither has what is flat", () => {
  const shapes = geometries([{ kind: CYLINDER, axis: [0, 0, 1], point: [0, 0, 0] }]);
  const whole = ownAxis(index, shapes, index.roots);
  expect(whole?.direction.map(Math.abs)).toEqual([0, 0, 1]);
  expect(ownAxis(index, shapes, [])).toBeNull();
  expect(
    ownAxis(index, geometries([{ kind: SPHERE, axis: [0, 0, 1], point: [0, 0, 0] }]), [at("root/base")]),
  ).toBeNull();
  expect(ownAxis(index, geometries([]), [at("root/base")])).toBeNull();
});
