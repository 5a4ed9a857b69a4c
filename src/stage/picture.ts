import * as THREE from "three";
import { cameraMatrix, type Up, verticalAngleOfView } from "../core/camera/camera";

/** A renderer set up the same way wherever pictures are made: desk, published frames, thumbnails. */
export function createRenderer(canvas: HTMLCanvasElement | OffscreenCanvas, antialias = true): THREE.WebGLRenderer {
  const renderer = new THREE.WebGLRenderer({ canvas, antialias, preserveDrawingBuffer: false, powerPreference: "high-performance" });
  renderer.toneMapping = THREE.NeutralToneMapping;
  renderer.toneMappingExposure = 1.02;
  renderer.shadowMap.enabled = true;
  renderer.shadowMap.type = THREE.PCFShadowMap;
  renderer.shadowMap.autoUpdate = false;
  return renderer;
}

const _m = new Float64Array(16);

/**
 * Sets a three.js camera from camera values (order of CAMERA_CHANNELS). Near and far planes are fitted to a sphere
 * round everything, so depth stays precise from a screw to a machine hall.
 */
export function setCamera(camera: THREE.PerspectiveCamera, values: ArrayLike<number>, up: Up, aspect: number, centre: THREE.Vector3, radius: number): void {
  cameraMatrix(_m, values, 0, up);
  camera.matrixAutoUpdate = false;
  const e = camera.matrixWorld.elements;
  for (let k = 0; k < 16; k++) e[k] = _m[k] as number;
  camera.matrixWorldInverse.copy(camera.matrixWorld).invert();
  camera.aspect = aspect;
  camera.fov = verticalAngleOfView(values[7] as number, aspect);
  const away = Math.hypot((e[12] as number) - centre.x, (e[13] as number) - centre.y, (e[14] as number) - centre.z);
  camera.far = away + radius * 4;
  camera.near = Math.max(camera.far / 20000, (values[5] as number) * 0.02, away - radius * 1.6);
  camera.updateProjectionMatrix();
}
