import * as THREE from "three";
import { cameraMatrix, SENSOR_WIDTH_MM, type Up } from "../core/camera/camera";
import { STAGE_COLORS } from "./palette";

/** A path through points, xyz each, one for every so many frames: equal times, so that wide gaps are fast. */
export interface PathShown {
  points: Float32Array;
  kind: "part" | "camera";
}
/** A geometry as it stands at other times than now: 16 numbers each. */
export interface GhostShown {
  geometry: THREE.BufferGeometry;
  matrices: readonly Float64Array[];
}

const _m = new Float64Array(16);
/** Drawn over the picture whatever lies before it: what helps must be seen, and the picture's depths may be gone by then. */
const OVER = { transparent: true, depthTest: false, depthWrite: false, toneMapped: false } as const;

/**
 * What helps while working and is never published: the paths of parts and camera with ticks at equal times, parts as
 * they stand before and after now, and, from apart, the camera's body, what it looks at and its field of view.
 */
export class Aids {
  readonly scene = new THREE.Scene();
  private readonly paths = new THREE.Group();
  private readonly ghosts = new THREE.Group();
  private readonly rig = new THREE.Group();
  private readonly lines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly field: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly body: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly ghostMaterial = new THREE.MeshBasicMaterial({ color: STAGE_COLORS.working, opacity: 0.13, ...OVER });

  constructor(private readonly sizeMm: number) {
    const lines = (points: number, color: number, opacity: number) => {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(3 * points), 3));
      const it = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color, opacity, ...OVER }));
      it.frustumCulled = false;
      return it;
    };
    this.lines = lines(24, STAGE_COLORS.ink, 0.9);
    this.field = lines(18, STAGE_COLORS.ink, 0.35);
    const s = sizeMm * 0.05;
    const box = new THREE.BoxGeometry(s * 1.1, s * 0.9, s * 1.5);
    // The body sits behind the standpoint.
    box.translate(0, 0, s * 0.75);
    this.body = new THREE.Mesh(box, new THREE.MeshBasicMaterial({ color: STAGE_COLORS.ink, opacity: 0.8, ...OVER }));
    this.body.matrixAutoUpdate = false;
    this.rig.add(this.lines, this.field, this.body);
    this.rig.visible = false;
    this.scene.add(this.paths, this.ghosts, this.rig);
  }

  get any(): boolean {
    return this.rig.visible || this.paths.children.length > 0 || this.ghosts.children.length > 0;
  }

  setPaths(paths: readonly PathShown[]): void {
    for (const old of this.paths.children as THREE.Line[]) old.geometry.dispose();
    this.paths.clear();
    for (const { points, kind } of paths) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
      const color = kind === "part" ? STAGE_COLORS.working : STAGE_COLORS.ink;
      const line = new THREE.Line(geometry, new THREE.LineBasicMaterial({ color, opacity: 0.85, ...OVER }));
      const ticks = new THREE.Points(geometry, new THREE.PointsMaterial({ color, size: 4, sizeAttenuation: false, opacity: 0.9, ...OVER }));
      line.frustumCulled = false;
      ticks.frustumCulled = false;
      this.paths.add(line, ticks);
    }
  }

  setGhosts(ghosts: readonly GhostShown[]): void {
    this.ghosts.clear();
    for (const { geometry, matrices } of ghosts) {
      for (const matrix of matrices) {
        const mesh = new THREE.Mesh(geometry, this.ghostMaterial);
        mesh.matrixAutoUpdate = false;
        mesh.matrix.fromArray(matrix);
        this.ghosts.add(mesh);
      }
    }
  }

  /** Shows the camera that values (order of CAMERA_CHANNELS) describe, or none. */
  setCamera(values: ArrayLike<number> | null, aspect: number, up: Up): void {
    this.rig.visible = values !== null;
    if (!values) return;
    cameraMatrix(_m, values, 0, up);
    const tan = SENSOR_WIDTH_MM / 2 / (values[7] as number);
    const far = Math.min(values[5] as number, this.sizeMm * 6);
    const near = this.sizeMm * 0.14;
    const corner = (x: number, y: number, away: number, out: THREE.BufferAttribute, i: number) => {
      const [a, b] = [x * tan * away, (y * tan * away) / aspect];
      out.setXYZ(i, at(a, b, away, 0), at(a, b, away, 1), at(a, b, away, 2));
    };
    const at = (x: number, y: number, away: number, k: number) => (_m[12 + k] as number) + x * (_m[k] as number) + y * (_m[4 + k] as number) - away * (_m[8 + k] as number);
    const solid = this.lines.geometry.getAttribute("position") as THREE.BufferAttribute;
    const pale = this.field.geometry.getAttribute("position") as THREE.BufferAttribute;
    for (let i = 0; i < 4; i++) {
      const [x, y] = CORNERS[i] as [number, number];
      const [nx, ny] = CORNERS[(i + 1) % 4] as [number, number];
      solid.setXYZ(2 * i, at(0, 0, 0, 0), at(0, 0, 0, 1), at(0, 0, 0, 2));
      corner(x, y, near, solid, 2 * i + 1);
      corner(x, y, near, solid, 8 + 2 * i);
      corner(nx, ny, near, solid, 9 + 2 * i);
      corner(x, y, near, pale, 2 * i);
      corner(x, y, far, pale, 2 * i + 1);
      corner(x, y, far, pale, 8 + 2 * i);
      corner(nx, ny, far, pale, 9 + 2 * i);
    }
    pale.setXYZ(16, at(0, 0, 0, 0), at(0, 0, 0, 1), at(0, 0, 0, 2));
    pale.setXYZ(17, at(0, 0, values[5] as number, 0), at(0, 0, values[5] as number, 1), at(0, 0, values[5] as number, 2));
    // A small cross stands where it aims.
    const arm = this.sizeMm * 0.03;
    for (let axis = 0; axis < 3; axis++) {
      for (const end of [0, 1]) {
        const p = [0, 1, 2].map((k) => (values[k] as number) + (k === axis ? (end ? arm : -arm) : 0)) as [number, number, number];
        solid.setXYZ(16 + 2 * axis + end, ...p);
      }
    }
    solid.needsUpdate = true;
    pale.needsUpdate = true;
    this.body.matrix.fromArray(_m);
  }

  dispose(): void {
    this.setPaths([]);
    this.setGhosts([]);
    for (const it of [this.lines, this.field, this.body]) {
      it.geometry.dispose();
      it.material.dispose();
    }
    this.ghostMaterial.dispose();
  }
}

const CORNERS: readonly [number, number][] = [
  [-1, -1],
  [1, -1],
  [1, 1],
  [-1, 1],
];
