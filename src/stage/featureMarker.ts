import * as THREE from "three";
import { viewSpan } from "./handles";
import { STAGE_COLORS } from "./palette";

/**
 * Shows the place and direction that a pick would give: a ringed point, and an arrow along its direction; on the ring a
 * smaller one the way that something would turn about it.
 */
export class FeatureMarker {
  readonly scene = new THREE.Scene();
  private readonly root = new THREE.Group();
  private readonly arrow = new THREE.Group();
  private readonly sense: THREE.Mesh;
  private at: { point: THREE.Vector3; direction: THREE.Vector3 | null; turns: boolean } | null = null;

  constructor(color: number = STAGE_COLORS.working) {
    const paint = (opacity: number) =>
      new THREE.MeshBasicMaterial({
        color,
        transparent: true,
        opacity,
        depthTest: false,
        depthWrite: false,
        toneMapped: false,
        side: THREE.DoubleSide,
      });
    const point = new THREE.Mesh(new THREE.SphereGeometry(0.09, 16, 12), paint(0.95));
    const line = new THREE.Mesh(new THREE.CylinderGeometry(0.025, 0.025, 3.6, 8).rotateX(Math.PI / 2), paint(0.7));
    const head = new THREE.Mesh(
      new THREE.ConeGeometry(0.14, 0.5, 12).rotateX(Math.PI / 2).translate(0, 0, 2),
      paint(0.95),
    );
    this.arrow.add(line, head);
    // Counted positive: from x to y, seen against the direction.
    this.sense = new THREE.Mesh(new THREE.ConeGeometry(0.09, 0.26, 12).translate(0.26, 0.08, 0), paint(0.95));
    const ring = new THREE.Mesh(new THREE.TorusGeometry(0.26, 0.02, 6, 32), paint(0.9));
    this.root.add(point, this.arrow, ring, this.sense);
    this.root.matrixAutoUpdate = false;
    this.scene.add(this.root);
  }

  get shown(): boolean {
    return this.at !== null;
  }

  show(point: THREE.Vector3, direction: THREE.Vector3 | null, turns: boolean): void {
    this.at = { point, direction, turns };
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
    this.arrow.visible = this.at.direction !== null;
    this.sense.visible = this.arrow.visible && this.at.turns;
    const q = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 0, 1), z.clone().normalize());
    this.root.matrix.compose(this.at.point, q, new THREE.Vector3(scale, scale, scale));
    this.root.updateMatrixWorld(true);
  }
}
