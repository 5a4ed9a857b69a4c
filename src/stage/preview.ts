import * as THREE from "three";
import { indexAssembly } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import { fitBox } from "../core/camera/camera";
import type { Triple } from "../core/math/triple";
import { AssemblyScene } from "./assemblyScene";
import { createRenderer, setCamera } from "./picture";
import { Surroundings } from "./surroundings";

/**
 * Draws one still picture of a package on a canvas, seen from a corner with its up axis up. @returns its size at
 * home, mm
 */
export function drawPreview(canvas: HTMLCanvasElement, pkg: AssemblyPackage): Triple {
  const index = indexAssembly(pkg.assembly);
  // Drawn beside and copied, so that each try of a unit gives its graphics context back at once; browsers allow few.
  const renderer = createRenderer(new OffscreenCanvas(1, 1));
  const width = canvas.clientWidth || 320;
  const height = canvas.clientHeight || 200;
  renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
  renderer.setSize(width, height, false);
  const assembly = new AssemblyScene(pkg, index);
  const surroundings = new Surroundings(assembly, renderer, pkg.assembly.up);
  const { min, max } = assembly.worldBounds();
  surroundings.fit(min, max);
  const camera = new THREE.PerspectiveCamera();
  const fit = fitBox(min.toArray(), max.toArray(), 35, 22, 50, width / height, pkg.assembly.up, 0.2);
  const values = [fit["aim.x"], fit["aim.y"], fit["aim.z"], 35, 22, fit.distance, 0, 50];
  setCamera(
    camera,
    values,
    pkg.assembly.up,
    width / height,
    min.clone().add(max).multiplyScalar(0.5),
    Math.max(1e-6, min.distanceTo(max) / 2) * 1.5,
  );
  surroundings.prepare(camera);
  assembly.fitLines(width, height, 1);
  renderer.render(assembly.scene, camera);
  canvas.width = renderer.domElement.width;
  canvas.height = renderer.domElement.height;
  canvas.getContext("2d")?.drawImage(renderer.domElement, 0, 0);
  assembly.dispose();
  surroundings.dispose();
  renderer.dispose();
  renderer.forceContextLoss();
  return max.sub(min).toArray();
}
