import * as THREE from "three";
import { FACE_STRIDE, type Geometry } from "../core/geometry/geometry";
import { nth } from "../core/math/packed";
import { edgeGeometry } from "./edgeLines";

/**
 * Lets a second batch with the same instances use the first one's transforms, so that they are written and sent once.
 * three.js has no word for it, so its own field is taken. @returns the shared texture, 16 floats an instance
 */
export function shareMatrices(from: THREE.BatchedMesh, to: THREE.BatchedMesh): THREE.DataTexture {
  const [a, b] = [from, to] as unknown as [
    { _matricesTexture: THREE.DataTexture },
    { _matricesTexture: THREE.DataTexture },
  ];
  b._matricesTexture.dispose();
  b._matricesTexture = a._matricesTexture;
  return a._matricesTexture;
}

/**
 * A batch with one instance a part, numbered as the parts are; parts without a shape get an empty one, and one more
 * follows that is empty and not shown.
 */
export function batch(
  parts: readonly { geometry: number }[],
  shapes: readonly (THREE.BufferGeometry | null)[],
  material: THREE.Material,
): THREE.BatchedMesh {
  const used = new Set(parts.map((p) => p.geometry));
  let vertices = 3;
  let corners = 3;
  for (const g of used) {
    vertices += shapes[g]?.getAttribute("position").count ?? 0;
    corners += shapes[g]?.getIndex()?.count ?? 0;
  }
  const mesh = new THREE.BatchedMesh(parts.length + 1, vertices, corners, material);
  const ids = new Map<number, number>();
  for (const g of used) {
    const shape = shapes[g];
    if (shape) ids.set(g, mesh.addGeometry(shape));
  }
  const empty = mesh.addGeometry(emptyLike(shapes));
  for (const p of parts) mesh.addInstance(ids.get(p.geometry) ?? empty);
  mesh.setVisibleAt(mesh.addInstance(empty), false);
  mesh.frustumCulled = false;
  mesh.perObjectFrustumCulled = false;
  mesh.sortObjects = false;
  mesh.matrixAutoUpdate = false;
  return mesh;
}

/** A shape of no area with the attributes that the others have, so that it may stand among them. */
function emptyLike(shapes: readonly (THREE.BufferGeometry | null)[]): THREE.BufferGeometry {
  const model = shapes.find((s) => s !== null) ?? edgeGeometry(new Float32Array(6));
  const g = new THREE.BufferGeometry();
  for (const [name, a] of Object.entries(model?.attributes ?? {})) {
    const source = a as THREE.BufferAttribute;
    const array = new (source.array.constructor as new (n: number) => THREE.TypedArray)(3 * source.itemSize);
    g.setAttribute(name, new THREE.BufferAttribute(array, source.itemSize, source.normalized));
  }
  g.setIndex(new THREE.BufferAttribute(new Uint32Array(3), 1));
  return g;
}

/** Triangles of a geometry with a colour for each vertex: that of its face (alpha 255) or none (alpha 0). */
export function bodyGeometry(g: Geometry): THREE.BufferGeometry | null {
  if (g.indices.length === 0) return null;
  const buffer = new THREE.BufferGeometry();
  buffer.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
  buffer.setAttribute("normal", new THREE.BufferAttribute(g.normals, 3));
  const colors = new Uint8Array((g.positions.length / 3) * 4);
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) {
    const packed = nth(g.faces, f * FACE_STRIDE + 11);
    if (packed < 0) continue;
    const first = nth(g.faces, f * FACE_STRIDE) * 3;
    const last = first + nth(g.faces, f * FACE_STRIDE + 1) * 3;
    for (let i = first; i < last; i++) {
      const o = 4 * nth(g.indices, i);
      colors[o] = (packed >> 16) & 255;
      colors[o + 1] = (packed >> 8) & 255;
      colors[o + 2] = packed & 255;
      colors[o + 3] = 255;
    }
  }
  buffer.setAttribute("faceColor", new THREE.BufferAttribute(colors, 4, true));
  buffer.setIndex(new THREE.BufferAttribute(g.indices, 1));
  buffer.boundingBox = new THREE.Box3(new THREE.Vector3(...g.bounds.min), new THREE.Vector3(...g.bounds.max));
  buffer.boundingSphere = buffer.boundingBox.getBoundingSphere(new THREE.Sphere());
  return buffer;
}
