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
  private readonly inverse = new THREE.Matrix4();
  private readonly local = new THREE.Ray();

  constructor(
    private readonly scene: AssemblyScene,
    serialized: (SerializedBVH | null)[],
  ) {
    this.trees = scene.pkg.geometries.map((g, i) => {
      const data = serialized[i];
      if (!data) return null;
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
      geometry.setIndex(new THREE.BufferAttribute(g.indices, 1));
      return MeshBVH.deserialize({ ...data, index: g.indices }, geometry, { setIndex: false });
    });
  }

  /** The nearest visible part a ray meets. */
  pick(ray: THREE.Ray): Hit | null {
    let best: Hit | null = null;
    for (const part of this.scene.parts) {
      if (!part.mesh.visible) continue;
      const tree = this.trees[this.scene.index.assembly.nodes[part.node]?.geometry ?? -1];
      const box = part.mesh.geometry.boundingBox;
      if (!tree || !box) continue;
      this.inverse.copy(part.mesh.matrixWorld).invert();
      this.local.copy(ray).applyMatrix4(this.inverse);
      if (!this.local.intersectsBox(box)) continue;
      const hit = tree.raycastFirst(this.local, THREE.DoubleSide);
      if (!hit) continue;
      const point = hit.point.clone().applyMatrix4(part.mesh.matrixWorld);
      const distance = point.distanceTo(ray.origin);
      if (!best || distance < best.distance) best = { node: part.node, point, distance, triangle: hit.faceIndex ?? -1 };
    }
    return best;
  }
}
