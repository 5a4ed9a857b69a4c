import * as THREE from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";
import type { AssemblyScene } from "./assemblyScene";

export interface Hit {
  node: number;
  /** World point, mm. */
  point: THREE.Vector3;
  distance: number;
  triangle: number;
}

/** Finds what lies under a pointer, with one bounding-volume tree per shared geometry. */
export class Picker {
  private readonly trees: (MeshBVH | null)[];
  private readonly spheres: THREE.Sphere[];
  private readonly centre = new THREE.Vector3();
  private readonly inverse = new THREE.Matrix4();
  private readonly local = new THREE.Ray();

  constructor(
    private readonly scene: AssemblyScene,
    serialized: (SerializedBVH | null)[],
  ) {
    this.spheres = scene.pkg.geometries.map((g) =>
      new THREE.Box3(new THREE.Vector3(...g.bounds.min), new THREE.Vector3(...g.bounds.max)).getBoundingSphere(
        new THREE.Sphere(),
      ),
    );
    this.trees = scene.pkg.geometries.map((g, i) => {
      const data = serialized[i];
      if (!data) return null;
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
      geometry.setIndex(new THREE.BufferAttribute(g.indices, 1));
      return MeshBVH.deserialize({ ...data, index: g.indices }, geometry, { setIndex: false });
    });
  }

  /**
   * The nearest visible part a ray meets. Parts are ruled out by their bounding sphere first, which costs a few
   * multiplications each, so that thousands of them are no matter.
   * `except` names nodes that are looked through.
   */
  pick(ray: THREE.Ray, except: ReadonlySet<number> | null = null): Hit | null {
    let best: Hit | null = null;
    const { origin, direction } = ray;
    for (const part of this.scene.parts) {
      if (!part.visible || except?.has(part.node)) continue;
      const tree = this.trees[part.geometry];
      const sphere = this.spheres[part.geometry];
      if (!tree || !sphere) continue;
      const m = part.matrix;
      this.centre.copy(sphere.center).applyMatrix4(m).sub(origin);
      const along = this.centre.dot(direction);
      const radius = sphere.radius * m.getMaxScaleOnAxis();
      if (
        this.centre.lengthSq() - along * along > radius * radius ||
        along < -radius ||
        (best && along - radius > best.distance)
      )
        continue;
      this.inverse.copy(m).invert();
      this.local.copy(ray).applyMatrix4(this.inverse);
      const hit = tree.raycastFirst(this.local, THREE.DoubleSide);
      if (!hit) continue;
      const point = hit.point.clone().applyMatrix4(m);
      const distance = point.distanceTo(origin);
      if (!best || distance < best.distance) best = { node: part.node, point, distance, triangle: hit.faceIndex ?? -1 };
    }
    return best;
  }
}
