import * as THREE from "three";
import { nth } from "../core/math/packed";
import type { ReadonlyTriple } from "../core/math/triple";
import type { NodeTracks } from "../core/program/layout";
import { rotationOf } from "../core/program/pose";
import type { Pose } from "../core/program/sampling";
import { AXIS_COLORS, STAGE_COLORS } from "./palette";

/**
 * What a handle changes: a slide along an axis or in the plane across it, a turn about a declared axis, a free turn,
 * a joint.
 */
export type HandleId =
  | { kind: "slide"; axis: 0 | 1 | 2 }
  | { kind: "plane"; axis: 0 | 1 | 2 }
  | { kind: "turn"; axis: number }
  | { kind: "free" }
  | { kind: "joint"; axis: number };

/** Directions that slides and planes run along: the owner's at home, the part's own as it stands, the assembly's. */
export type HandleFrame = "owner" | "part" | "assembly";

interface Handle {
  id: HandleId;
  group: THREE.Group;
  grab: THREE.Mesh;
  paint: THREE.MeshBasicMaterial[];
  color: number;
}

/** Size of the handles on screen, as a share of the view's height. */
const SHARE = 0.17;
const PLANE_AT = 0.36;

/**
 * Handles for the selected part: a beaded rod per slide direction, a small tile per plane, a beaded quarter arc per
 * declared turn axis (drawn where that axis stands now, carried by the axes after it), and an outer circle for a free
 * turn facing the viewer. Drawn in a scene of their own on top of the picture.
 */
export class Handles {
  readonly scene = new THREE.Scene();
  private handles: Handle[] = [];
  private readonly root = new THREE.Group();
  private readonly r = new Float64Array(9);
  private readonly raycaster = new THREE.Raycaster();
  /** World position of the pivot. */
  readonly pivot = new THREE.Vector3();
  /** World directions of slides and planes: x y z of the chosen frame. */
  readonly slideAxes = [new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0), new THREE.Vector3(0, 0, 1)];
  turnAxes: THREE.Vector3[] = [];
  private hot: HandleId | null = null;
  scale = 1;
  visible = false;

  constructor() {
    this.scene.add(this.root);
  }

  /** Builds the handles for a number of turn axes. */
  private build(turns: readonly { direction: ReadonlyTriple }[]): void {
    for (const h of this.handles) this.root.remove(h.group);
    this.handles = [];
    this.turnAxes = turns.map(() => new THREE.Vector3());
    const make = (
      id: HandleId,
      color: number,
      shapes: THREE.BufferGeometry[],
      grabShape: THREE.BufferGeometry,
      opacity = 0.92,
    ) => {
      const group = new THREE.Group();
      const paint: THREE.MeshBasicMaterial[] = [];
      for (const shape of shapes) {
        const m = new THREE.MeshBasicMaterial({
          color,
          transparent: true,
          opacity,
          depthTest: false,
          toneMapped: false,
          side: THREE.DoubleSide,
        });
        paint.push(m);
        group.add(new THREE.Mesh(shape, m));
      }
      const grab = new THREE.Mesh(grabShape, new THREE.MeshBasicMaterial({ visible: false, side: THREE.DoubleSide }));
      group.add(grab);
      this.root.add(group);
      this.handles.push({ id, group, grab, paint, color });
    };
    for (const axis of [0, 1, 2] as const) {
      const rod = new THREE.CylinderGeometry(0.012, 0.012, 0.72, 8).translate(0, 0.52, 0);
      const bead = new THREE.SphereGeometry(0.062, 16, 12).translate(0, 0.94, 0);
      const grab = new THREE.CylinderGeometry(0.09, 0.09, 0.95, 6).translate(0, 0.56, 0);
      make({ kind: "slide", axis }, nth(AXIS_COLORS, axis), [rod, bead], grab);
      const tile = new THREE.CircleGeometry(0.1, 20).translate(PLANE_AT, PLANE_AT, 0);
      make(
        { kind: "plane", axis },
        nth(AXIS_COLORS, axis),
        [tile],
        new THREE.CircleGeometry(0.12, 12).translate(PLANE_AT, PLANE_AT, 0),
      );
    }
    turns.forEach((t, axis) => {
      const main = [0, 1, 2].reduce(
        (a, b) => (Math.abs(nth(t.direction, b)) > Math.abs(nth(t.direction, a)) ? b : a),
        0,
      );
      const arc = new THREE.TorusGeometry(0.74, 0.012, 6, 32, Math.PI / 2);
      const bead = new THREE.CylinderGeometry(0.05, 0.05, 0.03, 20)
        .rotateX(Math.PI / 2)
        .translate(0.74 * Math.SQRT1_2, 0.74 * Math.SQRT1_2, 0);
      const grab = new THREE.TorusGeometry(0.74, 0.075, 6, 16, Math.PI / 2);
      make({ kind: "turn", axis }, nth(AXIS_COLORS, main), [arc, bead], grab);
    });
    const ring = new THREE.TorusGeometry(1.12, 0.006, 6, 72);
    make({ kind: "free" }, 0x6d747c, [ring], new THREE.TorusGeometry(1.12, 0.06, 6, 40));
  }

  private axesKey = "";

  /**
   * Places the handles for a part or group in a pose. `parentWorld` is the parent's world matrix (identity for a root
   * or a group), `own` the part's.
   */
  place(
    tracks: NodeTracks,
    pose: Pose,
    parentWorld: THREE.Matrix4,
    own: THREE.Matrix4 = parentWorld,
    frame: HandleFrame = "owner",
  ): void {
    const key = tracks.axes.map((a) => `${a.id}${a.direction.join()}`).join(";");
    if (key !== this.axesKey) {
      this.axesKey = key;
      this.build(tracks.axes);
    }
    const v = pose.values;
    const f = tracks.first;
    this.pivot
      .set(tracks.pivot[0] + nth(v, f), tracks.pivot[1] + nth(v, f + 1), tracks.pivot[2] + nth(v, f + 2))
      .applyMatrix4(parentWorld);
    const parentRotation = new THREE.Matrix4().extractRotation(parentWorld);
    const slideRotation =
      frame === "owner"
        ? parentRotation
        : frame === "part"
          ? new THREE.Matrix4().extractRotation(own)
          : new THREE.Matrix4();
    for (const [i, a] of this.slideAxes.entries())
      a.set(i === 0 ? 1 : 0, i === 1 ? 1 : 0, i === 2 ? 1 : 0).applyMatrix4(slideRotation);
    tracks.axes.forEach((axis, i) => {
      // The axes after this one, and the free orientation, carry it along.
      rotationOf(tracks, pose, this.r, tracks.axes.length, i + 1);
      const [x, y, z] = axis.direction;
      const r = this.r;
      (this.turnAxes[i] as THREE.Vector3)
        .set(
          nth(r, 0) * x + nth(r, 3) * y + nth(r, 6) * z,
          nth(r, 1) * x + nth(r, 4) * y + nth(r, 7) * z,
          nth(r, 2) * x + nth(r, 5) * y + nth(r, 8) * z,
        )
        .applyMatrix4(parentRotation)
        .normalize();
    });
    this.visible = true;
  }

  /** Sizes and orients the handles for a camera. */
  face(camera: THREE.Camera): void {
    if (!this.visible) return;
    const eye = new THREE.Vector3().setFromMatrixPosition(camera.matrixWorld);
    // By the shorter side of the picture, so that a tall stage does not blow the handles up.
    this.scale = viewSpan(camera, this.pivot) * Math.min(1, aspectOf(camera)) * SHARE;
    const toEye = towardEye(camera, eye, this.pivot);
    for (const h of this.handles) {
      h.group.matrixAutoUpdate = false;
      const q = new THREE.Quaternion();
      if (h.id.kind === "slide") {
        q.setFromUnitVectors(new THREE.Vector3(0, 1, 0), this.slideAxes[h.id.axis] as THREE.Vector3);
      } else if (h.id.kind === "plane") {
        const x = (this.slideAxes[(h.id.axis + 1) % 3] as THREE.Vector3).clone();
        const y = (this.slideAxes[(h.id.axis + 2) % 3] as THREE.Vector3).clone();
        q.setFromRotationMatrix(new THREE.Matrix4().makeBasis(x, y, new THREE.Vector3().crossVectors(x, y)));
      } else if (h.id.kind === "turn") {
        // The quarter that faces the viewer: its middle points from the axis toward the eye.
        const axis = this.turnAxes[h.id.axis] as THREE.Vector3;
        const middle = toEye.clone().addScaledVector(axis, -toEye.dot(axis));
        if (middle.lengthSq() < 1e-4)
          middle
            .copy(this.slideAxes[0] as THREE.Vector3)
            .addScaledVector(axis, -axis.dot(this.slideAxes[0] as THREE.Vector3));
        if (middle.lengthSq() < 1e-4) middle.copy(this.slideAxes[1] as THREE.Vector3);
        middle.normalize();
        const side = new THREE.Vector3().crossVectors(axis, middle);
        const x = middle.clone().sub(side).normalize();
        const y = middle.clone().add(side).normalize();
        q.setFromRotationMatrix(new THREE.Matrix4().makeBasis(x, y, axis));
      } else {
        q.setFromUnitVectors(new THREE.Vector3(0, 0, 1), toEye);
      }
      h.group.matrix.compose(this.pivot, q, new THREE.Vector3(this.scale, this.scale, this.scale));
      const hot = this.hot !== null && sameHandle(this.hot, h.id);
      for (const m of h.paint) m.color.setHex(hot ? STAGE_COLORS.working : h.color);
      // A rod seen end-on, a tile seen from the edge, cannot be dragged; it fades so that it does not hide the part.
      const along =
        h.id.kind === "slide" || h.id.kind === "plane"
          ? Math.abs((this.slideAxes[h.id.axis] as THREE.Vector3).dot(toEye))
          : 0.5;
      const faded = (h.id.kind === "slide" && along > 0.985) || (h.id.kind === "plane" && along < 0.12);
      for (const m of h.paint)
        m.opacity = faded
          ? 0.15
          : h.id.kind === "plane"
            ? hot
              ? 0.9
              : 0.42
            : h.id.kind === "free" && !hot
              ? 0.45
              : 0.92;
    }
    this.root.updateMatrixWorld(true);
  }

  /** The handle under a pointer (normalised device coordinates), or null. */
  hit(x: number, y: number, camera: THREE.Camera): HandleId | null {
    if (!this.visible) return null;
    this.raycaster.setFromCamera(new THREE.Vector2(x, y), camera);
    let best: Handle | null = null;
    let nearest = Infinity;
    for (const h of this.handles) {
      const found = this.raycaster.intersectObject(h.grab, false)[0];
      // Beads and rods win over the outer circle, which lies around everything.
      const d = found ? found.distance + (h.id.kind === "free" ? 1e6 : 0) : Infinity;
      if (d < nearest) {
        nearest = d;
        best = h;
      }
    }
    return best?.id ?? null;
  }

  setHot(id: HandleId | null): boolean {
    const changed = id === null ? this.hot !== null : this.hot === null || !sameHandle(id, this.hot);
    this.hot = id;
    return changed;
  }

  /**
   * Where a handle's bead is on the screen, or would be after a turn by some degrees, in normalised device
   * coordinates.
   */
  beadPosition(id: HandleId, camera: THREE.Camera, turnedDeg = 0): { x: number; y: number } | null {
    const h = this.handles.find((x) => sameHandle(x.id, id));
    if (!h || !this.visible) return null;
    const local =
      id.kind === "slide"
        ? new THREE.Vector3(0, 0.94, 0)
        : id.kind === "plane"
          ? new THREE.Vector3(PLANE_AT, PLANE_AT, 0)
          : id.kind === "turn"
            ? new THREE.Vector3(0.74 * Math.SQRT1_2, 0.74 * Math.SQRT1_2, 0)
            : new THREE.Vector3(1.12, 0, 0);
    if (id.kind === "turn") local.applyAxisAngle(new THREE.Vector3(0, 0, 1), (turnedDeg * Math.PI) / 180);
    const p = local.applyMatrix4(h.group.matrixWorld).project(camera);
    return { x: p.x, y: p.y };
  }
}

export function sameHandle(a: HandleId, b: HandleId): boolean {
  return a.kind === b.kind && (a.kind === "free" || b.kind === "free" || a.axis === b.axis);
}

/** Height of what a camera shows at a point, mm. */
export function viewSpan(camera: THREE.Camera, at: THREE.Vector3): number {
  if (camera instanceof THREE.OrthographicCamera) return camera.top - camera.bottom;
  const eye = new THREE.Vector3().setFromMatrixPosition(camera.matrixWorld);
  return 2 * eye.distanceTo(at) * Math.tan(((camera as THREE.PerspectiveCamera).fov * Math.PI) / 360);
}

function aspectOf(camera: THREE.Camera): number {
  if (camera instanceof THREE.OrthographicCamera) return (camera.right - camera.left) / (camera.top - camera.bottom);
  return (camera as THREE.PerspectiveCamera).aspect;
}

/** Unit direction from a point to the viewer. */
export function towardEye(camera: THREE.Camera, eye: THREE.Vector3, at: THREE.Vector3): THREE.Vector3 {
  if (camera instanceof THREE.OrthographicCamera)
    return new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 2).normalize();
  return eye.clone().sub(at).normalize();
}
