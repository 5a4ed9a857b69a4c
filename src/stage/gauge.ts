import * as THREE from "three";
import type { Joint } from "../core/document/preparation";
import { turns } from "../core/kinematics/jointKinds";
import { nth } from "../core/math/packed";
import type { NodeTracks } from "../core/program/layout";
import { jointCarrier } from "../core/program/pose";
import type { Pose } from "../core/program/sampling";
import { viewSpan } from "./handles";
import { STAGE_COLORS } from "./palette";

/** A joint as the gauge shows it: its axis as it stands (world, mm) and its reading. */
export interface GaugeState {
  joint: Joint;
  point: THREE.Vector3;
  direction: THREE.Vector3;
  /** Square to the direction: where the hand points at home. */
  reference: THREE.Vector3;
  reading: number;
  /** Its driver decides; the hand cannot be dragged. */
  driven: boolean;
}

/**
 * Where a joint of a part stands now; `parent` is the frame that the part departs in. null when it has no such joint.
 */
export function gaugeState(
  tracks: NodeTracks,
  id: string | null,
  pose: Pose,
  parent: THREE.Matrix4,
): GaugeState | null {
  const at = tracks.joints.findIndex((j) => j.joint.id === id);
  const joint = tracks.joints[at];
  if (!joint) return null;
  const carrier = new Float64Array(16);
  jointCarrier(tracks, at, pose, carrier);
  const m = parent.clone().multiply(new THREE.Matrix4().fromArray(Array.from(carrier)));
  const turn = new THREE.Matrix4().extractRotation(m);
  const direction = new THREE.Vector3(...joint.direction);
  const reference = new THREE.Vector3(Math.abs(direction.x) < 0.9 ? 1 : 0, Math.abs(direction.x) < 0.9 ? 0 : 1, 0);
  reference.addScaledVector(direction, -reference.dot(direction)).normalize();
  // The dial sits beside the part's middle, however far along the axis its point was given.
  const point = new THREE.Vector3(...joint.point);
  point.addScaledVector(direction, new THREE.Vector3(...tracks.pivot).sub(point).dot(direction));
  return {
    joint: joint.joint,
    point: point.applyMatrix4(m),
    direction: direction.applyMatrix4(turn).normalize(),
    reference: reference.applyMatrix4(turn).normalize(),
    reading: nth(pose.values, joint.channel),
    driven: joint.driver !== null,
  };
}

const RADIUS = 0.3;
const RIM = 0.012;

/**
 * The gauge of a joint around its axis: a rim with a mark at the reading 0, ticks at the limits and a pale field
 * between them, a hand at the reading with a bead to drag, a chevron on the side to which readings grow. A slide has
 * the same along a straight rule.
 */
export class Gauge {
  readonly scene = new THREE.Scene();
  private readonly root = new THREE.Group();
  private state: GaugeState | null = null;
  private scale = 1;
  private hot = false;
  private grab: THREE.Mesh | null = null;
  private readonly raycaster = new THREE.Raycaster();

  constructor() {
    this.scene.add(this.root);
    this.root.matrixAutoUpdate = false;
  }

  get shown(): GaugeState | null {
    return this.state;
  }

  set(state: GaugeState | null): void {
    this.state = state;
    this.root.clear();
    this.grab = null;
    if (state) this.build(state);
  }

  setHot(hot: boolean): boolean {
    const changed = hot !== this.hot;
    this.hot = hot;
    if (changed && this.state) this.set(this.state);
    return changed;
  }

  private paint(color: number, opacity: number): THREE.MeshBasicMaterial {
    return new THREE.MeshBasicMaterial({
      color,
      transparent: true,
      opacity,
      depthTest: false,
      depthWrite: false,
      side: THREE.DoubleSide,
      toneMapped: false,
    });
  }

  /** Everything in units of the gauge: radius 1, the axis along z, the hand at home along x. */
  private build(s: GaugeState): void {
    const { joint } = s;
    const sense = joint.flipped ? -1 : 1;
    const add = (shape: THREE.BufferGeometry, color: number, opacity: number) => {
      const mesh = new THREE.Mesh(shape, this.paint(color, opacity));
      this.root.add(mesh);
      return mesh;
    };
    const hand = s.driven ? STAGE_COLORS.ink : STAGE_COLORS.working;
    const axis = new THREE.CylinderGeometry(0.008, 0.008, 2.6, 6).rotateX(Math.PI / 2);
    add(axis, STAGE_COLORS.ink, 0.55);
    if (!turns(joint)) {
      // Along the axis itself; one unit is `perUnit` mm, chosen so that the limits fit.
      const at = (reading: number) => (sense * (reading - joint.zero)) / this.perUnit(joint);
      const tick = (reading: number, size: number, color: number, thick = 0.016) =>
        add(new THREE.BoxGeometry(size, thick, thick).translate(0, 0, at(reading)), color, 0.9);
      tick(0, 0.3, STAGE_COLORS.ink);
      if (joint.limits?.min !== null && joint.limits)
        tick(joint.limits.min as number, 0.42, joint.limits.hard ? STAGE_COLORS.brick : STAGE_COLORS.ink, 0.026);
      if (joint.limits?.max !== null && joint.limits)
        tick(joint.limits.max as number, 0.42, joint.limits.hard ? STAGE_COLORS.brick : STAGE_COLORS.ink, 0.026);
      add(
        new THREE.ConeGeometry(0.07, 0.2, 16).rotateX((sense * Math.PI) / 2).translate(0, 0, sense * 1.4),
        STAGE_COLORS.ink,
        0.7,
      );
      const z = Math.max(-1.3, Math.min(1.3, at(s.reading)));
      add(new THREE.SphereGeometry(this.hot ? 0.12 : 0.095, 20, 14).translate(0, 0, z), hand, 0.95);
      this.grab = new THREE.Mesh(
        new THREE.SphereGeometry(0.17, 8, 6).translate(0, 0, z),
        new THREE.MeshBasicMaterial({ visible: false }),
      );
      this.root.add(this.grab);
      return;
    }
    const at = (reading: number) => (sense * (reading - joint.zero) * Math.PI) / 180;
    add(new THREE.TorusGeometry(1, RIM, 6, 96), STAGE_COLORS.ink, 0.5);
    const { limits } = joint;
    if (limits && limits.min !== null && limits.max !== null && limits.max - limits.min < 360) {
      const [a, b] = [at(limits.min), at(limits.max)].sort((x, y) => x - y) as [number, number];
      add(new THREE.RingGeometry(0.55, 1, 64, 1, a, b - a), STAGE_COLORS.working, 0.12);
    }
    const tick = (angle: number, from: number, to: number, color: number, thick = 0.02) =>
      add(new THREE.BoxGeometry(to - from, thick, thick).translate((from + to) / 2, 0, 0).rotateZ(angle), color, 0.95);
    tick(at(0), 0.82, 1.22, STAGE_COLORS.ink);
    for (const limit of [limits?.min, limits?.max])
      if (limit !== null && limit !== undefined)
        tick(at(limit), 0.6, 1.14, limits?.hard ? STAGE_COLORS.brick : STAGE_COLORS.ink, 0.03);
    const angle = at(s.reading);
    tick(angle, 0.06, 0.96, hand, 0.028);
    add(
      new THREE.SphereGeometry(this.hot ? 0.11 : 0.085, 20, 14).translate(Math.cos(angle), Math.sin(angle), 0),
      hand,
      0.97,
    );
    // The chevron sits beyond the hand, pointing where readings grow.
    const ahead = angle + sense * 0.34;
    add(
      new THREE.ConeGeometry(0.055, 0.17, 14)
        .rotateZ(sense > 0 ? 0 : Math.PI)
        .translate(1.13, 0, 0)
        .rotateZ(ahead),
      STAGE_COLORS.ink,
      0.75,
    );
    this.grab = new THREE.Mesh(
      new THREE.SphereGeometry(0.16, 8, 6).translate(Math.cos(angle), Math.sin(angle), 0),
      new THREE.MeshBasicMaterial({ visible: false }),
    );
    this.root.add(this.grab);
  }

  /** Millimetres that one unit of a slide's rule stands for. */
  private perUnit(joint: Joint): number {
    const { limits } = joint;
    const reach = Math.max(Math.abs((limits?.min ?? 0) - joint.zero), Math.abs((limits?.max ?? 0) - joint.zero));
    return reach > 0 ? reach : this.scale;
  }

  /** Sizes and places the gauge for a camera. */
  face(camera: THREE.Camera): void {
    const s = this.state;
    if (!s) return;
    const scale = viewSpan(camera, s.point) * RADIUS * 0.5;
    if (!turns(s.joint) && !s.joint.limits && Math.abs(scale - this.scale) > 0.02 * this.scale) {
      this.scale = scale;
      this.set(s);
    }
    this.scale = scale;
    const z = s.direction;
    const x = s.reference;
    const y = new THREE.Vector3().crossVectors(z, x);
    // A rule is drawn to measure: its unit is so many millimetres.
    const length = turns(s.joint) ? scale : this.perUnit(s.joint);
    const across = turns(s.joint) ? length : scale;
    this.root.matrix
      .makeBasis(x.clone().multiplyScalar(across), y.multiplyScalar(across), z.clone().multiplyScalar(length))
      .setPosition(s.point);
    this.root.matrixWorldNeedsUpdate = true;
    this.root.updateMatrixWorld(true);
  }

  /** True when the hand's bead is under a pointer (normalised device coordinates). */
  hit(x: number, y: number, camera: THREE.Camera): boolean {
    if (!this.state || this.state.driven || !this.grab) return false;
    this.raycaster.setFromCamera(new THREE.Vector2(x, y), camera);
    return this.raycaster.intersectObject(this.grab, false).length > 0;
  }

  /** Where the hand's bead is on the screen, normalised device coordinates; `at` for another reading of a hinge. */
  beadPosition(camera: THREE.Camera, at?: number): { x: number; y: number } | null {
    const s = this.state;
    if (!s) return null;
    const sense = s.joint.flipped ? -1 : 1;
    const departure = sense * ((at ?? s.reading) - s.joint.zero);
    const local = turns(s.joint)
      ? new THREE.Vector3(Math.cos((departure * Math.PI) / 180), Math.sin((departure * Math.PI) / 180), 0)
      : new THREE.Vector3(0, 0, departure / this.perUnit(s.joint));
    const p = local.applyMatrix4(this.root.matrixWorld).project(camera);
    return { x: p.x, y: p.y };
  }
}
