import * as THREE from "three";
import { cameraMatrix, SENSOR_WIDTH_MM, type Up } from "../core/camera/camera";
import { nth } from "../core/math/packed";
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
/**
 * Drawn over the picture whatever lies before it: what helps must be seen, and the picture's depths may be gone by
 * then.
 */
const OVER = { transparent: true, depthTest: false, depthWrite: false, toneMapped: false } as const;

/** What the aids are seen through. */
export interface AidCameras {
  readonly current: THREE.Camera;
  readonly perspective: THREE.PerspectiveCamera;
  readonly isThrough: boolean;
  readonly aspect: number;
}

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

  private readonly pathInk = { part: pathInk(STAGE_COLORS.working), camera: pathInk(STAGE_COLORS.ink) };

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
    this.clearPaths();
    for (const { points, kind } of paths) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
      const line = new THREE.Line(geometry, this.pathInk[kind].line);
      const ticks = new THREE.Points(geometry, this.pathInk[kind].ticks);
      line.frustumCulled = false;
      ticks.frustumCulled = false;
      this.paths.add(line, ticks);
    }
  }

  private clearPaths(): void {
    for (const old of this.paths.children as THREE.Line[]) old.geometry.dispose();
    this.paths.clear();
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

  private readonly wide = new THREE.PerspectiveCamera();
  /** Draws what helps over the picture. Away from the camera its body and field are shown. */
  draw(renderer: THREE.WebGLRenderer, cameras: AidCameras, program: Float64Array, up: Up): void {
    this.setCamera(cameras.isThrough ? null : program, cameras.aspect, up);
    if (!this.any) return;
    let camera = cameras.current;
    if (camera === cameras.perspective) {
      // The view's near and far planes hug the assembly; a camera may stand well outside.
      const wide = this.wide.copy(cameras.perspective, false);
      wide.near *= 0.02;
      wide.far *= 20;
      wide.updateProjectionMatrix();
      camera = wide;
    }
    renderer.render(this.scene, camera);
  }

  /** Shows the camera that values (order of CAMERA_CHANNELS) describe, or none. */
  setCamera(values: ArrayLike<number> | null, aspect: number, up: Up): void {
    this.rig.visible = values !== null;
    if (!values) return;
    cameraMatrix(_m, values, 0, up);
    const tan = SENSOR_WIDTH_MM / 2 / nth(values, 7);
    const distance = nth(values, 5);
    const far = Math.min(distance, this.sizeMm * 6);
    const near = this.sizeMm * 0.14;
    const solid = this.lines.geometry.getAttribute("position") as THREE.BufferAttribute;
    const pale = this.field.geometry.getAttribute("position") as THREE.BufferAttribute;
    for (let i = 0; i < 4; i++) {
      const { x, y } = CORNERS[i] as Corner;
      const { x: nx, y: ny } = CORNERS[(i + 1) % 4] as Corner;
      seen(solid, 2 * i, 0, 0, 0);
      seen(solid, 2 * i + 1, x * tan, (y * tan) / aspect, near);
      seen(solid, 8 + 2 * i, x * tan, (y * tan) / aspect, near);
      seen(solid, 9 + 2 * i, nx * tan, (ny * tan) / aspect, near);
      seen(pale, 2 * i, x * tan, (y * tan) / aspect, near);
      seen(pale, 2 * i + 1, x * tan, (y * tan) / aspect, far);
      seen(pale, 8 + 2 * i, x * tan, (y * tan) / aspect, far);
      seen(pale, 9 + 2 * i, nx * tan, (ny * tan) / aspect, far);
    }
    seen(pale, 16, 0, 0, 0);
    seen(pale, 17, 0, 0, distance);
    // A small cross stands where it aims.
    const arm = this.sizeMm * 0.03;
    const ax = nth(values, 0);
    const ay = nth(values, 1);
    const az = nth(values, 2);
    for (let axis = 0; axis < 3; axis++) {
      for (let end = -1; end <= 1; end += 2) {
        const d = end * arm;
        solid.setXYZ(
          16 + 2 * axis + (end > 0 ? 1 : 0),
          ax + (axis === 0 ? d : 0),
          ay + (axis === 1 ? d : 0),
          az + (axis === 2 ? d : 0),
        );
      }
    }
    solid.needsUpdate = true;
    pale.needsUpdate = true;
    this.body.matrix.fromArray(_m);
  }

  dispose(): void {
    this.clearPaths();
    this.ghosts.clear();
    for (const { line, ticks } of Object.values(this.pathInk)) {
      line.dispose();
      ticks.dispose();
    }
    for (const it of [this.lines, this.field, this.body]) {
      it.geometry.dispose();
      it.material.dispose();
    }
    this.ghostMaterial.dispose();
  }
}

/** Writes the point that the camera in `_m` sees at a place of the picture plane one mm away, so far out. */
function seen(out: THREE.BufferAttribute, i: number, right: number, up: number, away: number): void {
  const a = right * away;
  const b = up * away;
  out.setXYZ(
    i,
    nth(_m, 12) + a * nth(_m, 0) + b * nth(_m, 4) - away * nth(_m, 8),
    nth(_m, 13) + a * nth(_m, 1) + b * nth(_m, 5) - away * nth(_m, 9),
    nth(_m, 14) + a * nth(_m, 2) + b * nth(_m, 6) - away * nth(_m, 10),
  );
}

const pathInk = (color: number) => ({
  line: new THREE.LineBasicMaterial({ color, opacity: 0.85, ...OVER }),
  ticks: new THREE.PointsMaterial({ color, size: 4, sizeAttenuation: false, opacity: 0.9, ...OVER }),
});

interface Corner {
  x: number;
  y: number;
}
const CORNERS: readonly Corner[] = [
  { x: -1, y: -1 },
  { x: 1, y: -1 },
  { x: 1, y: 1 },
  { x: -1, y: 1 },
];
