import * as THREE from "three";
import type { AssemblyPackage } from "../src/core/assembly/package";
import { threeQuarterView } from "../src/core/camera/camera";
import { SURROUNDINGS_DEFAULT } from "../src/core/document/surroundings";
import { nth } from "../src/core/math/packed";
import { EdgeMaterial, edgeGeometry } from "../src/stage/edgeLines";
import { createRenderer, setCamera } from "../src/stage/picture";
import { Surroundings } from "../src/stage/surroundings";
import { endOf } from "./assembly";

/** The bare loop: matrices from plain interpolation by three.js itself, written into two batches. */
export function bareLoop(pkg: AssemblyPackage, worldBounds: ArrayLike<number>, canvas: HTMLCanvasElement) {
  const WIDTH = canvas.width;
  const HEIGHT = canvas.height;
  const view = threeQuarterView(
    Array.from(worldBounds).slice(0, 3),
    Array.from(worldBounds).slice(3, 6),
    WIDTH / HEIGHT,
    "z",
  );
  const renderer = createRenderer(canvas);
  renderer.setPixelRatio(1);
  renderer.setSize(WIDTH, HEIGHT, false);
  const scene = new THREE.Scene();
  scene.matrixWorldAutoUpdate = false;
  const parts = pkg.assembly.nodes.filter((n) => n.kind === "part");
  const bodies = pkg.geometries.map((g) => {
    const b = new THREE.BufferGeometry();
    b.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
    b.setAttribute("normal", new THREE.BufferAttribute(g.normals, 3));
    b.setIndex(new THREE.BufferAttribute(g.indices, 1));
    return b;
  });
  const lines = pkg.geometries.map((g) => edgeGeometry(g.edges) as THREE.BufferGeometry);
  const batch = (shapes: THREE.BufferGeometry[], material: THREE.Material) => {
    const count = (f: (s: THREE.BufferGeometry) => number) => shapes.reduce((n, s) => n + f(s), 0);
    const mesh = new THREE.BatchedMesh(
      parts.length,
      count((s) => s.getAttribute("position").count),
      count((s) => s.getIndex()?.count ?? 0),
      material,
    );
    const ids = shapes.map((s) => mesh.addGeometry(s));
    for (const p of parts) mesh.addInstance(nth(ids, p.geometry));
    mesh.frustumCulled = false;
    mesh.perObjectFrustumCulled = false;
    mesh.sortObjects = false;
    scene.add(mesh);
    return mesh;
  };
  const ink = new EdgeMaterial(0x1e2a38, 0.6);
  const body = batch(bodies, new THREE.MeshStandardMaterial({ roughness: 0.46, metalness: 0.12 }));
  body.castShadow = true;
  body.receiveShadow = true;
  parts.forEach((p, i) => {
    if (p.color) body.setColorAt(i, new THREE.Color(p.color[0], p.color[1], p.color[2]));
  });
  const edges = batch(lines, ink);
  const b = worldBounds;
  const min = new THREE.Vector3(b[0], b[1], b[2]);
  const max = new THREE.Vector3(b[3], b[4], b[5]);
  const surroundings = new Surroundings(
    { scene, lines: [], standing: (out) => out.set([...min.toArray(), ...max.toArray()]) },
    renderer,
    "z",
  );
  surroundings.set(SURROUNDINGS_DEFAULT);
  surroundings.fit(min, max);
  const camera = new THREE.PerspectiveCamera();
  const centre = min.clone().add(max).multiplyScalar(0.5);
  const radius = min.distanceTo(max) / 2;
  const values = ["aim.x", "aim.y", "aim.z", "azimuth", "elevation", "distance", "roll", "lens"].map(
    (k) => (view as unknown as Record<string, number>)[k] as number,
  );
  const starts = parts.map((p) => new THREE.Vector3(p.home[12], p.home[13], p.home[14]));
  const ends = parts.map((_, i) => starts[i]?.clone().add(new THREE.Vector3(...endOf(i).slide)) as THREE.Vector3);
  const turns = parts.map((_, i) =>
    new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 0, 1), (endOf(i).turn * Math.PI) / 180),
  );
  const still = new THREE.Quaternion();
  const position = new THREE.Vector3();
  const quaternion = new THREE.Quaternion();
  const one = new THREE.Vector3(1, 1, 1);
  const matrix = new THREE.Matrix4();
  return {
    renderer,
    parts: { scene, camera, surroundings },
    draw(share: number) {
      for (let i = 0; i < parts.length; i++) {
        position.lerpVectors(starts[i] as THREE.Vector3, ends[i] as THREE.Vector3, share);
        quaternion.slerpQuaternions(still, turns[i] as THREE.Quaternion, share);
        matrix.compose(position, quaternion, one);
        body.setMatrixAt(i, matrix);
        edges.setMatrixAt(i, matrix);
      }
      setCamera(camera, values, "z", WIDTH / HEIGHT, centre, radius * 1.5);
      ink.fitTo(WIDTH, HEIGHT, 1, 0.6);
      surroundings.moved();
      surroundings.prepare(camera);
      renderer.render(scene, camera);
    },
  };
}
