import * as THREE from "three";
import { viewSpan } from "./handles";
import { STAGE_COLORS } from "./palette";

/** Shows the place and direction that a pick would give: a ringed point, and a line along its direction. */
export class FeatureMarker {
  readonly scene = new THREE.Scene();
  private readonly root = new THREE.Group();
  private readonly line: THREE.Mesh;
  private at: { point: THREE.Vector3; direction: THREE.Vector3 | null } | null = null;

  constructor() {
    const paint = (opacity: number) =>
      new THREE.MeshBasicMaterial({
        color: STAGE_COLORS.working,
        transparent: true,
        opacity,
        depthTest: false,
        depthWrite: false,
        toneMapped: false,
        side: THREE.DoubleSide,
      });
    const point = new THREE.Mesh(new THREE.SphereGeometry(0.09, 16, 12), paint(0.95));
    this.line = new THREE.Mesh(new THREE.CylinderGeometry(0.025, 0.025, 4, 8).rotateX(Math.PI / 2), paint(0.7));
    const ring = new THREE.Mesh(new THREE.TorusGeometry(0.26, 0.02, 6, 32), paint(0.9));
    this.root.add(point, this.line, ring);
    this.root.matrixAutoUpdate = false;
    this.scene.add(this.root);
  }

  get shown(): boolean {
    return this.at !== null;
  }

  show(point: THREE.Vector3, direction: THREE.Vector3 | null): void {
    this.at = { point, direction };
  }
  hide(): boolean {
    const was = this.at !== null;
    this.at = null;
    return was;
  }

  face(camera: THREE.Camera): void {
    if (!this.at) return;
    const scale = viewSpan(camera, this.at.point) * 0.045;
    const z = this.at.direction ?? new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 2);
    this.line.visible = this.at.direction !== null;
    const q = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 0, 1), z.clone().normalize());
    this.root.matrix.compose(this.at.point, q, new THREE.Vector3(scale, scale, scale));
    this.root.updateMatrixWorld(true);
  }
}
