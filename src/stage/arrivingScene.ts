import * as THREE from "three";
import { type Assembly, indexAssembly } from "../core/assembly/assembly";
import { fitBox } from "../core/camera/camera";
import { nth } from "../core/math/packed";
import { STAGE_COLORS } from "./palette";
import { createRenderer, setCamera } from "./picture";

/** A shape of an assembly, as far as it is needed to be seen. */
export interface ArrivingShape {
  shape: number;
  positions: Float32Array;
  indices: Uint32Array;
}

/** How long shapes are taken in a frame, ms, and how many between two looks at the clock. */
const BUDGET_MS = 6;
const AT_ONCE = 20;

const LENS = 50;
const AZIMUTH = 35;
const ELEVATION = 22;

/**
 * An assembly that is still on its way: every part as its box at once, and as itself when its shape has come. Draws
 * when something has come, not by itself.
 */
export class ArrivingScene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera();
  private readonly boxes: THREE.InstancedMesh;
  /** Of each shape, the boxes that stand for it and the parts of which it is. */
  private readonly users = new Map<number, { box: number; node: number }[]>();
  private readonly world: Float64Array;
  private readonly min: THREE.Vector3;
  private readonly max: THREE.Vector3;
  private readonly made: { dispose(): void }[] = [];
  private waiting: ArrivingShape[] = [];
  private frame = 0;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly assembly: Assembly,
  ) {
    this.renderer = createRenderer(canvas, false);
    const index = indexAssembly(assembly);
    this.world = index.homeWorld;
    const parts = assembly.nodes.flatMap((n, node) => (assembly.geometries[n.geometry] ? [node] : []));
    const box = new THREE.BoxGeometry(1, 1, 1);
    const glass = new THREE.MeshBasicMaterial({
      color: STAGE_COLORS.working,
      transparent: true,
      opacity: 0.12,
      depthWrite: false,
    });
    this.boxes = new THREE.InstancedMesh(box, glass, Math.max(1, parts.length));
    this.boxes.count = parts.length;
    // Which of them are in sight is not asked: most are, and their bounds change.
    this.boxes.frustumCulled = false;
    this.made.push(box, glass, this.boxes);
    const at = new THREE.Matrix4();
    const own = new THREE.Matrix4();
    const [low, high] = [new THREE.Vector3(Infinity, Infinity, Infinity), new THREE.Vector3()];
    high.copy(low).negate();
    const all = new THREE.Box3(low, high);
    const one = new THREE.Box3();
    parts.forEach((node, i) => {
      const shape = assembly.nodes[node]?.geometry as number;
      const { min, max } = (assembly.geometries[shape] as Assembly["geometries"][number]).bounds;
      one.min.fromArray(min);
      one.max.fromArray(max);
      own.makeScale(...([0, 1, 2].map((k) => Math.max(1e-3, nth(max, k) - nth(min, k))) as [number, number, number]));
      own.setPosition(one.getCenter(new THREE.Vector3()));
      at.fromArray(this.world, 16 * node);
      all.union(one.applyMatrix4(at));
      this.boxes.setMatrixAt(i, at.multiply(own));
      const users = this.users.get(shape) ?? [];
      users.push({ box: i, node });
      this.users.set(shape, users);
    });
    this.min = parts.length > 0 ? all.min : new THREE.Vector3();
    this.max = parts.length > 0 ? all.max : new THREE.Vector3(1, 1, 1);
    const sun = new THREE.DirectionalLight(0xffffff, 2.4);
    const up = assembly.up === "z" ? new THREE.Vector3(0.4, -0.8, 1) : new THREE.Vector3(0.4, 1, 0.8);
    sun.position.copy(up);
    this.scene.add(this.boxes, sun, new THREE.HemisphereLight(0xffffff, 0xb9b4a8, 2.4));
    this.scene.background = new THREE.Color(STAGE_COLORS.paperBottom);
  }

  /** Takes shapes that have come: as many in a frame as it has time for, each time with a picture. */
  add(shapes: readonly ArrivingShape[]): void {
    for (const s of shapes) this.waiting.push(s);
    if (this.frame === 0) this.frame = requestAnimationFrame(this.work);
  }

  private readonly work = () => {
    const until = performance.now() + BUDGET_MS;
    do this.put(this.waiting.splice(0, AT_ONCE));
    while (this.waiting.length > 0 && performance.now() < until);
    this.draw();
    this.frame = this.waiting.length > 0 ? requestAnimationFrame(this.work) : 0;
  };

  private put(shapes: readonly ArrivingShape[]): void {
    const none = new THREE.Matrix4().makeScale(0, 0, 0);
    const at = new THREE.Matrix4();
    const colour = new THREE.Color();
    for (const { shape, positions, indices } of shapes) {
      const users = this.users.get(shape) ?? [];
      for (const { box } of users) this.boxes.setMatrixAt(box, none);
      if (indices.length === 0 || users.length === 0) continue;
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
      geometry.setIndex(new THREE.BufferAttribute(indices, 1));
      const material = new THREE.MeshStandardMaterial({ flatShading: true, roughness: 0.7, metalness: 0.1 });
      const mesh = new THREE.InstancedMesh(geometry, material, users.length);
      mesh.frustumCulled = false;
      users.forEach(({ node }, i) => {
        mesh.setMatrixAt(i, at.fromArray(this.world, 16 * node));
        const own = this.assembly.nodes[node]?.color;
        mesh.setColorAt(i, own ? colour.setRGB(own[0], own[1], own[2]) : colour.set(STAGE_COLORS.part));
      });
      this.made.push(geometry, material, mesh);
      this.scene.add(mesh);
    }
    this.boxes.instanceMatrix.needsUpdate = true;
  }

  draw(): void {
    const width = this.canvas.clientWidth || 640;
    const height = this.canvas.clientHeight || 400;
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.renderer.setSize(width, height, false);
    const { min, max } = this;
    const { up } = this.assembly;
    const fit = fitBox(min.toArray(), max.toArray(), AZIMUTH, ELEVATION, LENS, width / height, up, 0.15);
    setCamera(
      this.camera,
      [fit["aim.x"], fit["aim.y"], fit["aim.z"], AZIMUTH, ELEVATION, fit.distance, 0, LENS],
      up,
      width / height,
      min.clone().add(max).multiplyScalar(0.5),
      Math.max(1e-6, min.distanceTo(max) / 2) * 1.5,
    );
    this.renderer.render(this.scene, this.camera);
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    for (const m of this.made) m.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }
}
