import * as THREE from "three";
import type { Up } from "../core/camera/camera";
import { STAGE_COLORS } from "./palette";

/** Light, ground and backdrop. Built from code: nothing is downloaded. Works without a DOM, so also in a worker. */
export class Surroundings {
  readonly key: THREE.DirectionalLight;
  private readonly ground: THREE.Mesh;
  private readonly environment: THREE.Texture;
  private readonly backdrop: THREE.DataTexture;

  constructor(
    scene: THREE.Scene,
    renderer: THREE.WebGLRenderer,
    private readonly up: Up,
  ) {
    this.environment = makeEnvironment(renderer);
    scene.environment = this.environment;
    scene.environmentIntensity = 0.62;
    if (up === "z") scene.environmentRotation.set(Math.PI / 2, 0, 0);
    this.backdrop = gradient(STAGE_COLORS.paperTop, STAGE_COLORS.paperBottom);
    scene.background = this.backdrop;
    this.key = new THREE.DirectionalLight(0xfff4e2, 2.3);
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(2048, 2048);
    this.key.shadow.radius = 5;
    scene.add(this.key, this.key.target);
    const fill = new THREE.DirectionalLight(0xdfeaff, 0.5);
    fill.position.set(...this.frame(-0.8, -0.3, 0.35));
    scene.add(fill);
    this.ground = new THREE.Mesh(new THREE.PlaneGeometry(1, 1), new THREE.ShadowMaterial({ color: 0x3b3426, opacity: 0.26 }));
    this.ground.receiveShadow = true;
    this.ground.matrixAutoUpdate = false;
    scene.add(this.ground);
  }

  /** A direction given as right, back, up in the assembly's frame. */
  private frame(right: number, back: number, upward: number): [number, number, number] {
    return this.up === "z" ? [right, back, upward] : [right, upward, -back];
  }

  /** Places light and ground round a box (world, mm) and fits the shadow map to it. */
  fit(min: THREE.Vector3, max: THREE.Vector3): void {
    const centre = min.clone().add(max).multiplyScalar(0.5);
    const radius = Math.max(1, max.distanceTo(min) / 2);
    const direction = new THREE.Vector3(...this.frame(-0.5, -0.62, 1.05)).normalize();
    this.key.position.copy(centre).addScaledVector(direction, radius * 3);
    this.key.target.position.copy(centre);
    this.key.target.updateMatrixWorld();
    this.key.updateMatrixWorld();
    const camera = this.key.shadow.camera;
    const reach = radius * 1.7;
    camera.left = -reach;
    camera.right = reach;
    camera.top = reach;
    camera.bottom = -reach;
    camera.near = radius * 0.5;
    camera.far = radius * 6;
    camera.updateProjectionMatrix();
    this.key.shadow.normalBias = radius * 0.004;
    this.key.shadow.bias = -0.0004;
    const size = radius * 24;
    const m = new THREE.Matrix4().makeScale(size, size, 1);
    if (this.up === "y") m.premultiply(new THREE.Matrix4().makeRotationX(-Math.PI / 2));
    const floor = this.up === "z" ? new THREE.Vector3(centre.x, centre.y, min.z) : new THREE.Vector3(centre.x, min.y, centre.z);
    m.setPosition(floor);
    this.ground.matrix.copy(m);
    this.ground.matrixWorld.copy(m);
  }

  dispose(): void {
    this.environment.dispose();
    this.backdrop.dispose();
    this.key.dispose();
    this.ground.geometry.dispose();
  }
}

/** A room of soft light panels, rendered once into a prefiltered map. */
function makeEnvironment(renderer: THREE.WebGLRenderer): THREE.Texture {
  const room = new THREE.Scene();
  const box = new THREE.BoxGeometry();
  const shell = new THREE.Mesh(box, new THREE.MeshBasicMaterial({ color: new THREE.Color(0.52, 0.5, 0.47), side: THREE.BackSide }));
  shell.scale.set(20, 12, 20);
  room.add(shell);
  const panel = (x: number, y: number, z: number, w: number, h: number, d: number, light: number) => {
    const mesh = new THREE.Mesh(box, new THREE.MeshBasicMaterial({ color: new THREE.Color(light, light * 0.985, light * 0.95) }));
    mesh.position.set(x, y, z);
    mesh.scale.set(w, h, d);
    room.add(mesh);
  };
  panel(0, 5.8, 0, 11, 0.2, 9, 4.2);
  panel(-9.6, 1.5, -1, 0.2, 6, 9, 2.6);
  panel(9.6, 1, 2, 0.2, 5, 7, 1.5);
  panel(2, 1.5, 9.6, 9, 4.5, 0.2, 1.8);
  panel(0, -5.9, 0, 20, 0.1, 20, 0.34);
  const generator = new THREE.PMREMGenerator(renderer);
  const target = generator.fromScene(room, 0.035, 0.1, 60);
  generator.dispose();
  box.dispose();
  return target.texture;
}

/** A vertical gradient as a texture; drawn behind everything, not lit. */
function gradient(top: number, bottom: number): THREE.DataTexture {
  const rows = 64;
  const data = new Uint8Array(rows * 4);
  const at = (color: number, shift: number) => (color >> shift) & 255;
  for (let i = 0; i < rows; i++) {
    const u = i / (rows - 1);
    for (const [k, shift] of [
      [0, 16],
      [1, 8],
      [2, 0],
    ] as const) {
      data[4 * i + k] = Math.round(at(bottom, shift) + (at(top, shift) - at(bottom, shift)) * u);
    }
    data[4 * i + 3] = 255;
  }
  const texture = new THREE.DataTexture(data, 1, rows);
  texture.colorSpace = THREE.SRGBColorSpace;
  texture.minFilter = THREE.LinearFilter;
  texture.magFilter = THREE.LinearFilter;
  texture.needsUpdate = true;
  return texture;
}
