/** A page with three.js and the demo's model and nothing else: what the interactive page is measured against. */
import * as THREE from "three";
import { indexAssembly } from "../src/core/assembly/assembly";
import { decodePackage } from "../src/core/assembly/package";
import { nth } from "../src/core/math/packed";
import { createRenderer, setCamera } from "../src/stage/picture";
import { finish } from "./page";

declare global {
  interface Window {
    firstPicture?: number;
    drawFrame?(i: number): void;
    finishFrame?(): void;
  }
}

async function unpack(id: string): Promise<ArrayBuffer> {
  const bytes = Uint8Array.from(atob(document.getElementById(id)?.textContent ?? ""), (c) => c.charCodeAt(0));
  return new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate-raw"))).arrayBuffer();
}

async function start(): Promise<void> {
  const [model, film] = await Promise.all([unpack("model"), unpack("film")]);
  const { assembly, camera: values } = JSON.parse(new TextDecoder().decode(film));
  const pkg = decodePackage(new Uint8Array(model));
  const index = indexAssembly(assembly);
  const canvas = document.getElementById("picture") as HTMLCanvasElement;
  const renderer = createRenderer(canvas);
  renderer.setSize(innerWidth, innerHeight, false);
  addEventListener("resize", () => renderer.setSize(innerWidth, innerHeight, false));
  const scene = new THREE.Scene();
  scene.matrixWorldAutoUpdate = false;
  scene.background = new THREE.Color(0xf6f4ee);
  const geometries = pkg.geometries.map((g) => {
    const it = new THREE.BufferGeometry();
    it.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
    it.setAttribute("normal", new THREE.BufferAttribute(g.normals, 3));
    it.setIndex(new THREE.BufferAttribute(g.indices, 1));
    return it;
  });
  const meshes: THREE.Mesh[] = [];
  index.assembly.nodes.forEach((node, i) => {
    const geometry = geometries[node.geometry];
    if (!geometry) return;
    const color = new THREE.Color(...(node.color ?? ([0.7, 0.7, 0.7] as const)).slice(0, 3));
    const mesh = new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ color, roughness: 0.6, metalness: 0.1 }));
    mesh.matrixAutoUpdate = false;
    mesh.castShadow = true;
    mesh.receiveShadow = true;
    mesh.matrixWorld.fromArray(index.homeWorld, 16 * i);
    mesh.frustumCulled = false;
    scene.add(mesh);
    meshes.push(mesh);
  });
  const b = index.worldBounds;
  const centre = new THREE.Vector3(
    (nth(b, 0) + nth(b, 3)) / 2,
    (nth(b, 1) + nth(b, 4)) / 2,
    (nth(b, 2) + nth(b, 5)) / 2,
  );
  const radius = Math.hypot(nth(b, 3) - nth(b, 0), nth(b, 4) - nth(b, 1), nth(b, 5) - nth(b, 2)) / 2;
  const key = new THREE.DirectionalLight(0xffffff, 2.5);
  key.position.copy(centre).add(new THREE.Vector3(radius, -2 * radius, 3 * radius));
  key.target.position.copy(centre);
  key.castShadow = true;
  key.shadow.mapSize.set(2048, 2048);
  Object.assign(key.shadow.camera, { left: -radius, right: radius, top: radius, bottom: -radius, far: 8 * radius });
  for (const light of [key, key.target, new THREE.HemisphereLight(0xffffff, 0xcfc8b8, 1)]) {
    light.updateMatrixWorld();
    scene.add(light);
  }
  const camera = new THREE.PerspectiveCamera();
  window.drawFrame = () => {
    // All that moves gets its place, and the shadow follows, as in a film.
    for (const mesh of meshes) mesh.matrixWorld.elements[12] = (mesh.matrixWorld.elements[12] as number) + 1e-9;
    renderer.shadowMap.needsUpdate = true;
    setCamera(camera, values, index.assembly.up, innerWidth / innerHeight, centre, radius * 1.5);
    renderer.render(scene, camera);
  };
  window.finishFrame = () => finish(renderer);
  window.drawFrame(0);
  window.finishFrame();
  window.firstPicture = performance.now();
}
void start();
