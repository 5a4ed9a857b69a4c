import fc from "fast-check";
import * as THREE from "three";
import { expect, test } from "vitest";
import { real } from "../../tests/support/real";
import { Mirror } from "./mirror";

/** What would be drawn: the camera of the mirrored picture; null where none is drawn. */
function mirrored(camera: THREE.Camera, normal: THREE.Vector3, point: THREE.Vector3): THREE.Camera | null {
  const mirror = new Mirror();
  mirror.setStrength(0.2);
  mirror.fit(new THREE.Matrix4(), normal, point);
  const told: { camera: THREE.Camera | null } = { camera: null };
  const renderer = {
    ...{ shadowMap: { needsUpdate: true }, getClearAlpha: () => 1, setClearColor: () => {}, setRenderTarget: () => {} },
    getDrawingBufferSize: (v: THREE.Vector2) => v.set(320, 180),
    getClearColor: (c: THREE.Color) => c,
    clear: () => {},
    render: (_: THREE.Scene, c: THREE.Camera) => {
      told.camera = c;
    },
  };
  const scene = new THREE.Scene();
  const hidden = new THREE.Object3D();
  mirror.update(renderer as unknown as THREE.WebGLRenderer, scene, camera, [hidden]);
  // Everything is as it was, whatever was changed for the picture.
  expect([hidden.visible, renderer.shadowMap.needsUpdate]).toEqual([true, true]);
  mirror.dispose();
  return told.camera;
}

function cameraAt(eye: THREE.Vector3, aim: THREE.Vector3): THREE.PerspectiveCamera {
  const camera = new THREE.PerspectiveCamera(35, 16 / 9, 1, 5000);
  camera.up.set(0, 0, 1);
  camera.position.copy(eye);
  camera.lookAt(aim);
  camera.updateMatrixWorld();
  camera.updateProjectionMatrix();
  return camera;
}

test("what is above the ground is where it is mirrored; what is below is cut off, what lies on it is where it begins", () => {
  const up = new THREE.Vector3(0, 0, 1);
  fc.assert(
    fc.property(real(-300, 300), real(-300, 300), real(5, 400), real(-60, 60), (x, y, high, ground) => {
      const eye = new THREE.Vector3(x + 401, y, ground + high);
      const camera = cameraAt(eye, new THREE.Vector3(0, 0, ground + 20));
      const floor = new THREE.Vector3(0, 0, ground);
      const made = mirrored(camera, up, floor);
      expect(made).not.toBeNull();
      if (!made) return;
      for (const z of [-40, -1, 0, 1, 60]) {
        const p = new THREE.Vector3(10, -15, ground + z);
        const image = p
          .clone()
          .setZ(ground - z)
          .project(camera);
        const own = p.clone().project(made);
        // The mirrored picture is turned over, left for right.
        expect(own.x).toBeCloseTo(-image.x, 6);
        expect(own.y).toBeCloseTo(image.y, 6);
        // Only what is in the picture counts: beyond its corners the depth means nothing.
        if (Math.max(Math.abs(image.x), Math.abs(image.y)) > 1) continue;
        if (z === 0) expect(own.z).toBeCloseTo(-1, 6);
        else expect(own.z > -1 && own.z < 1).toBe(z > 0);
      }
    }),
    { numRuns: 60 },
  );
});

test("from below nothing is drawn: nothing of it would be seen", () => {
  const camera = cameraAt(new THREE.Vector3(300, 20, -80), new THREE.Vector3(0, 0, 0));
  expect(mirrored(camera, new THREE.Vector3(0, 0, 1), new THREE.Vector3(0, 0, 0))).toBeNull();
});

test("is drawn as onto the canvas, and laid on the ground as it is; for a picture that is worked on, as light", () => {
  for (const raw of [false, true]) {
    const mirror = new Mirror();
    mirror.setStrength(0.2);
    mirror.fit(new THREE.Matrix4(), new THREE.Vector3(0, 0, 1), new THREE.Vector3());
    const targets: (THREE.WebGLRenderTarget | null)[] = [];
    const renderer = {
      ...{ shadowMap: { needsUpdate: true }, getClearAlpha: () => 1, setClearColor: () => {}, render: () => {} },
      getDrawingBufferSize: (v: THREE.Vector2) => v.set(320, 180),
      getClearColor: (c: THREE.Color) => c,
      setRenderTarget: (t: THREE.WebGLRenderTarget | null) => void targets.push(t),
    } as unknown as THREE.WebGLRenderer;
    const camera = cameraAt(new THREE.Vector3(300, 0, 100), new THREE.Vector3());
    mirror.update(renderer, new THREE.Scene(), camera, [], raw);
    const [target, after] = targets;
    expect(after).toBeNull();
    // three.js makes other programs for a target, except for one of this kind.
    expect((target as unknown as { isXRRenderTarget: boolean }).isXRRenderTarget).toBe(!raw);
    expect(target?.texture.colorSpace).toBe(THREE.SRGBColorSpace);
    expect(mirror.plane.material.uniforms.finished?.value).toBe(!raw);
    mirror.dispose();
  }
});
