import * as THREE from "three";
import { turns } from "../core/kinematics/jointKinds";
import { nth } from "../core/math/packed";
import { conjugateQuaternion, multiplyQuaternion, quaternionFromAxis } from "../core/math/rotation";
import type { Triple } from "../core/math/triple";
import { type NodeTracks, SLIDE, TURN } from "../core/program/layout";
import type { Pose } from "../core/program/sampling";
import { accumulate, alongAxis, angleAbout, snapped } from "./dragMath";
import type { Gauge } from "./gauge";
import type { HandleId, Handles } from "./handles";

/** Increments while dragging, and what of the geometry draws the part. */
export interface Snapping {
  on: boolean;
  distanceMm: number;
  angleDeg: number;
  /** "steps" counts from where the drag began, "grid" from home. */
  from: "steps" | "grid";
  /** Features of other parts that a slide snaps to, by the pointer. */
  geometry: boolean;
}

/**
 * A drag on a handle, as it goes. Values are the channels' whole values; `delta` is the change since the drag began.
 */
export interface HandleDrag {
  phase: "start" | "move" | "end" | "cancel";
  handle: HandleId;
  tracks: NodeTracks;
  values: Record<string, number>;
  orientation: [number, number, number, number] | null;
  /** A reading of a joint of the part, where its gauge is dragged. */
  joint: { id: string; reading: number } | null;
  /** mm or degrees. */
  delta: number;
  /** What the geometry snapped to, in words; null where it did not. */
  snappedTo: string | null;
  /** Digits typed in place of dragging; "" when the pointer decides. */
  typed: string;
  xPx: number;
  yPx: number;
}

/** Features of other parts that a slide may snap to. */
export const SNAP_KINDS = ["corner", "edge-middle", "circle", "face"] as const;

/** Where geometry snapping would put the pivot: a world point under the pointer, and its name. */
export type SnapTarget = (xPx: number, yPx: number) => { point: THREE.Vector3; name: string } | null;

export interface DragContext {
  camera: THREE.Camera;
  handles: Handles;
  gauge: Gauge;
  pose: Pose;
  tracks: NodeTracks;
  /** World matrix of the frame the part departs in. */
  parent: THREE.Matrix4;
  width: number;
  height: number;
  ray(x: number, y: number): THREE.Ray;
  snapping: Snapping;
  snapTo: SnapTarget;
}

/** One drag of one handle, from press to release. Typing numbers sets the change exactly. */
export class HandleDragging {
  private readonly origin: THREE.Vector3;
  private readonly axis: THREE.Vector3;
  private readonly second: THREE.Vector3;
  private readonly reference: THREE.Vector3;
  private first: number | null;
  private readonly firstAngle: number;
  private readonly firstPoint: THREE.Vector3 | null;
  private last: number;
  private readonly tangent: [number, number] | null;
  private readonly startSlide: Triple;
  private readonly startTurn: number;
  private readonly startReading: number;
  private readonly orientation: number[];
  private readonly sense: number;
  private total = 0;
  private shift = new THREE.Vector3();
  private snappedTo: string | null = null;
  /** Digits typed while dragging. */
  typed = "";

  constructor(
    private readonly c: DragContext,
    readonly id: HandleId,
    private readonly startX: number,
    private readonly startY: number,
  ) {
    const { handles, gauge, pose, tracks } = c;
    const eye = new THREE.Vector3().setFromMatrixPosition(c.camera.matrixWorld);
    const joint = id.kind === "joint" ? gauge.shown : null;
    this.origin = joint ? joint.point.clone() : handles.pivot.clone();
    this.axis =
      id.kind === "slide" || id.kind === "plane"
        ? (handles.slideAxes[id.axis] as THREE.Vector3).clone()
        : id.kind === "turn"
          ? (handles.turnAxes[id.axis] as THREE.Vector3).clone()
          : joint
            ? joint.direction.clone()
            : eye.sub(this.origin).normalize();
    this.second =
      id.kind === "plane" ? (handles.slideAxes[(id.axis + 1) % 3] as THREE.Vector3).clone() : new THREE.Vector3();
    this.reference = new THREE.Vector3(1, 0, 0);
    if (Math.abs(this.axis.x) > 0.9) this.reference.set(0, 1, 0);
    this.reference.addScaledVector(this.axis, -this.reference.dot(this.axis)).normalize();
    const at = (k: number) => nth(pose.values, tracks.first + k);
    this.startSlide = [at(SLIDE), at(SLIDE + 1), at(SLIDE + 2)];
    this.startTurn = id.kind === "turn" ? at(TURN + id.axis) : 0;
    this.startReading = joint?.reading ?? 0;
    this.sense = joint?.joint.flipped ? -1 : 1;
    this.orientation = Array.from(pose.orientations.subarray(4 * tracks.orientation, 4 * tracks.orientation + 4));
    const ray = c.ray(startX, startY);
    this.firstPoint = id.kind === "plane" ? this.onPlane(ray) : null;
    this.first = this.straight
      ? alongAxis(ray, this.origin, this.axis)
      : angleAbout(ray, this.origin, this.axis, this.reference);
    this.firstAngle = this.first ?? 0;
    this.last = this.first ?? 0;
    this.tangent = this.straight || id.kind === "plane" || this.first !== null ? null : this.tangentOf();
  }

  /** The change is in degrees, not in mm. */
  get isAngle(): boolean {
    return !this.straight && this.id.kind !== "plane";
  }

  /** Moves along a line rather than round an axis. */
  private get straight(): boolean {
    const joint = this.id.kind === "joint" ? this.c.gauge.shown?.joint : undefined;
    return this.id.kind === "slide" || (joint !== undefined && !turns(joint));
  }

  /** Whether a drag of this handle can change slide channel `k` at all. */
  private touches(k: number): boolean {
    const back = new THREE.Matrix4().extractRotation(this.c.parent).invert();
    const along = (v: THREE.Vector3) => Math.abs(v.clone().applyMatrix4(back).getComponent(k)) > 1e-9;
    if (this.id.kind === "slide") return along(this.axis);
    return along(this.second) || along(new THREE.Vector3().crossVectors(this.axis, this.second));
  }

  private onPlane(ray: THREE.Ray): THREE.Vector3 | null {
    return ray.intersectPlane(
      new THREE.Plane().setFromNormalAndCoplanarPoint(this.axis, this.origin),
      new THREE.Vector3(),
    );
  }

  /** Screen direction along which an arc seen edge-on is dragged, unit pixels. */
  private tangentOf(): [number, number] {
    const a = this.origin.clone().project(this.c.camera);
    const b = this.origin.clone().addScaledVector(this.axis, this.c.handles.scale).project(this.c.camera);
    const dx = (b.x - a.x) * this.c.width;
    const dy = -(b.y - a.y) * this.c.height;
    const n = Math.hypot(dx, dy) || 1;
    return [-dy / n, dx / n];
  }

  /** Rounds a change to the increment: from where it began, or so that the whole value lies on the grid. */
  private step(change: number, start: number, increment: number, free: boolean): number {
    const { on, from } = this.c.snapping;
    if (!on || free) return change;
    return from === "grid" ? snapped(start + change, increment) - start : snapped(change, increment);
  }

  /** Follows the pointer. @returns whether anything changed. */
  move(x: number, y: number, free: boolean): boolean {
    if (this.typed !== "") return false;
    const ray = this.c.ray(x, y);
    const { snapping } = this.c;
    this.snappedTo = null;
    const target =
      snapping.geometry && !free && (this.id.kind === "slide" || this.id.kind === "plane") ? this.c.snapTo(x, y) : null;
    if (this.id.kind === "plane") {
      const now = this.onPlane(ray);
      if (!now || !this.firstPoint) return false;
      const third = new THREE.Vector3().crossVectors(this.axis, this.second);
      const d = target ? target.point.clone().sub(this.origin) : now.sub(this.firstPoint);
      const a = target ? d.dot(this.second) : this.step(d.dot(this.second), 0, snapping.distanceMm, free);
      const b = target ? d.dot(third) : this.step(d.dot(third), 0, snapping.distanceMm, free);
      this.shift = this.second.clone().multiplyScalar(a).addScaledVector(third, b);
      this.total = Math.hypot(a, b);
      this.snappedTo = target?.name ?? null;
      return true;
    }
    if (this.straight) {
      if (target) {
        this.total = target.point.clone().sub(this.origin).dot(this.axis);
        this.snappedTo = target.name;
        return true;
      }
      const now = alongAxis(ray, this.origin, this.axis);
      if (now === null || this.first === null) return false;
      const start = this.id.kind === "slide" ? this.startAlong() : this.startReading * this.sense;
      this.total = this.step(now - this.first, start, snapping.distanceMm, free);
      return true;
    }
    if (this.tangent) {
      const pixels = (x - this.startX) * this.tangent[0] + (y - this.startY) * this.tangent[1];
      this.total = this.step(pixels * 0.6, this.startAngle(), snapping.angleDeg, free);
      return true;
    }
    const now = angleAbout(ray, this.origin, this.axis, this.reference);
    if (now === null) return false;
    this.first = accumulate(this.first ?? 0, this.last, now);
    this.last = now;
    this.total = this.step(this.first - this.firstAngle, this.startAngle(), snapping.angleDeg, free);
    return true;
  }

  private startAngle(): number {
    return this.id.kind === "joint" ? this.startReading * this.sense : this.startTurn;
  }

  private startAlong(): number {
    const local = this.axis.clone().applyMatrix4(new THREE.Matrix4().extractRotation(this.c.parent).invert());
    return local.x * this.startSlide[0] + local.y * this.startSlide[1] + local.z * this.startSlide[2];
  }

  /** Takes a typed change (mm or degrees); the pointer is left alone from then on. */
  set(total: number): void {
    this.snappedTo = null;
    this.total = this.id.kind === "joint" ? total * this.sense : total;
    if (this.id.kind === "plane") {
      const n = this.shift.length();
      this.shift = n > 1e-9 ? this.shift.multiplyScalar(total / n) : this.second.clone().multiplyScalar(total);
    }
  }

  /** What the drag asks for now. */
  event(phase: HandleDrag["phase"], xPx: number, yPx: number): HandleDrag {
    const { tracks } = this.c;
    const { id } = this;
    const total = phase === "cancel" ? 0 : this.total;
    const base = {
      phase,
      handle: id,
      tracks,
      xPx,
      yPx,
      snappedTo: this.snappedTo,
      typed: this.typed,
      orientation: null,
      joint: null,
      values: {},
    };
    if (id.kind === "joint") {
      const change = total * this.sense;
      return {
        ...base,
        delta: change,
        joint: { id: this.c.gauge.shown?.joint.id ?? "", reading: tidy(this.startReading + change) },
      };
    }
    if (id.kind === "turn")
      return { ...base, delta: total, values: { [`turn.${tracks.axes[id.axis]?.id}`]: this.startTurn + total } };
    if (id.kind === "free") return { ...base, delta: total, orientation: this.turned(total) };
    const world = id.kind === "plane" ? this.shift.clone() : this.axis.clone().multiplyScalar(total);
    if (phase === "cancel") world.set(0, 0, 0);
    const local = world.applyMatrix4(new THREE.Matrix4().extractRotation(this.c.parent).invert());
    const values: Record<string, number> = {};
    [local.x, local.y, local.z].forEach((d, k) => {
      // Along an axis of the owner only that channel changes; rounding of the others is no change.
      if (this.touches(k)) values[`slide.${"xyz"[k]}`] = tidy(nth(this.startSlide, k) + d);
    });
    return { ...base, delta: total, values };
  }

  /**
   * The free orientation after a turn about the view axis: the turn is in the world, the orientation in the parent's
   * frame.
   */
  private turned(total: number): [number, number, number, number] {
    const turn = new THREE.Quaternion().setFromRotationMatrix(new THREE.Matrix4().extractRotation(this.c.parent));
    const p = [turn.x, turn.y, turn.z, turn.w];
    const world = quaternionFromAxis([this.axis.x, this.axis.y, this.axis.z], total);
    const inParent = multiplyQuaternion(multiplyQuaternion(conjugateQuaternion(p), world), p);
    const q = multiplyQuaternion(inParent, this.orientation);
    const n = Math.hypot(...q);
    return q.map((v) => v / n) as [number, number, number, number];
  }
}

/** A value without the last digits that turning it to and fro left. */
const tidy = (v: number) => {
  const r = Number(v.toFixed(9));
  return Object.is(r, -0) ? 0 : r;
};
