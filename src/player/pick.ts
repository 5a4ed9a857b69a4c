import * as THREE from "three";
import { nth } from "../core/math/packed";
import type { AssemblyScene } from "../stage/assemblyScene";

const _centre = new THREE.Vector3();
const _inverse = new THREE.Matrix4();
const _local = new THREE.Ray();
const [_a, _b, _c, _hit] = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];

/** Where a ray meets a part. */
export interface Picked {
  node: number;
  /** World place, mm. */
  point: THREE.Vector3;
  distance: number;
}

/** The node of the nearest visible part that a ray meets, -1 for none. */
export const pickPart = (scene: AssemblyScene, ray: THREE.Ray): number => pickPoint(scene, ray)?.node ?? -1;

/**
 * The nearest visible part that a ray meets, by its triangles: parts are ruled out by their bounding sphere first. No
 * tree is kept, which would cost more to bring along than the few milliseconds it saves a reader.
 * @returns null for none
 */
export function pickPoint(scene: AssemblyScene, ray: THREE.Ray): Picked | null {
  let best = Number.POSITIVE_INFINITY;
  let found = -1;
  const point = new THREE.Vector3();
  for (const part of scene.parts) {
    const g = scene.pkg.geometries[part.geometry];
    if (!g || !part.visible || part.opacity < 0.2) continue;
    const m = part.matrix;
    const { min, max } = g.bounds;
    _centre.set((nth(min, 0) + nth(max, 0)) / 2, (nth(min, 1) + nth(max, 1)) / 2, (nth(min, 2) + nth(max, 2)) / 2);
    const radius = (Math.hypot(...[0, 1, 2].map((k) => nth(max, k) - nth(min, k))) / 2) * m.getMaxScaleOnAxis();
    _centre.applyMatrix4(m);
    if (ray.distanceSqToPoint(_centre) > radius * radius) continue;
    if (ray.origin.distanceTo(_centre) - radius > best) continue;
    _inverse.copy(m).invert();
    _local.copy(ray).applyMatrix4(_inverse);
    const { positions: p, indices } = g;
    for (let i = 0; i + 2 < indices.length; i += 3) {
      const [a, b, c] = [3 * nth(indices, i), 3 * nth(indices, i + 1), 3 * nth(indices, i + 2)];
      _a.set(nth(p, a), nth(p, a + 1), nth(p, a + 2));
      _b.set(nth(p, b), nth(p, b + 1), nth(p, b + 2));
      _c.set(nth(p, c), nth(p, c + 1), nth(p, c + 2));
      if (!_local.intersectTriangle(_a, _b, _c, false, _hit)) continue;
      const distance = _hit.applyMatrix4(m).distanceTo(ray.origin);
      if (distance >= best) continue;
      best = distance;
      found = part.node;
      point.copy(_hit);
    }
  }
  return found < 0 ? null : { node: found, point, distance: best };
}
