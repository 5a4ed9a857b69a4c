import * as THREE from "three";
import { cameraMatrix, clipPlanes, type Up, verticalAngleOfView } from "../core/camera/camera";
import { nth } from "../core/math/packed";

/** A renderer set up the same way wherever pictures are made: desk, published frames, thumbnails. */
export function createRenderer(
  canvas: HTMLCanvasElement | OffscreenCanvas,
  antialias = true,
  clear = false,
): THREE.WebGLRenderer {
  const renderer = new THREE.WebGLRenderer({
    canvas,
    antialias,
    alpha: clear,
    preserveDrawingBuffer: false,
    powerPreference: "high-performance",
  });
  renderer.toneMapping = THREE.NeutralToneMapping;
  renderer.toneMappingExposure = 1.02;
  renderer.shadowMap.enabled = true;
  renderer.shadowMap.type = THREE.PCFShadowMap;
  renderer.shadowMap.autoUpdate = false;
  // Asking each program for its faults waits until it is linked: with many of them that is most of the first picture.
  renderer.debug.checkShaderErrors = false;
  return renderer;
}

const _m = new Float64Array(16);

/**
 * Sets a three.js camera from camera values (order of CAMERA_CHANNELS). Near and far planes are fitted to a sphere
 * round everything, so depth stays precise from a screw to a machine hall.
 */
export function setCamera(
  camera: THREE.PerspectiveCamera,
  values: ArrayLike<number>,
  up: Up,
  aspect: number,
  centre: THREE.Vector3,
  radius: number,
): void {
  cameraMatrix(_m, values, 0, up);
  camera.matrixAutoUpdate = false;
  const e = camera.matrixWorld.elements;
  for (let k = 0; k < 16; k++) e[k] = nth(_m, k);
  camera.matrixWorldInverse.copy(camera.matrixWorld).invert();
  camera.aspect = aspect;
  camera.fov = verticalAngleOfView(nth(values, 7), aspect);
  const away = Math.hypot(nth(e, 12) - centre.x, nth(e, 13) - centre.y, nth(e, 14) - centre.z);
  const planes = clipPlanes(nth(values, 5), away, radius);
  camera.near = planes.near;
  camera.far = planes.far;
  camera.updateProjectionMatrix();
}

/** Sets a parallel camera that shows as much at the aim as the perspective one would. */
export function setParallelCamera(
  camera: THREE.OrthographicCamera,
  values: ArrayLike<number>,
  up: Up,
  aspect: number,
  centre: THREE.Vector3,
  radius: number,
): void {
  cameraMatrix(_m, values, 0, up);
  camera.matrixAutoUpdate = false;
  const half = nth(values, 5) * Math.tan((verticalAngleOfView(nth(values, 7), aspect) * Math.PI) / 360);
  const back = new THREE.Vector3(_m[8], _m[9], _m[10]);
  // Far enough back that nothing is cut off, whatever the distance; a parallel picture does not change by it.
  const eye = new THREE.Vector3(_m[12], _m[13], _m[14]);
  const away = Math.max(0, radius * 3 - eye.clone().sub(centre).dot(back));
  eye.addScaledVector(back, away);
  const e = camera.matrixWorld.elements;
  for (let k = 0; k < 16; k++) e[k] = nth(_m, k);
  e[12] = eye.x;
  e[13] = eye.y;
  e[14] = eye.z;
  camera.matrixWorldInverse.copy(camera.matrixWorld).invert();
  Object.assign(camera, {
    left: -half * aspect,
    right: half * aspect,
    top: half,
    bottom: -half,
    near: 0,
    far: eye.distanceTo(centre) + radius * 4,
  });
  camera.updateProjectionMatrix();
}
