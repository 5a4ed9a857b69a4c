import * as THREE from "three";
import { fitBox, nearestTurn, SENSOR_WIDTH_MM } from "../core/camera/camera";
import { CAMERA_CHANNELS, type CameraValues } from "../core/document/keys";
import { nth } from "../core/math/packed";
import type { ReadonlyTriple } from "../core/math/triple";
import { posedBounds } from "../core/program/pose";
import { setCamera, setParallelCamera } from "./picture";
import { worldDirection, worldPoint } from "./pointing";
import type { CameraSite, PickedFeature } from "./stagePort";

/**
 * What the stage is seen through: the sequence's camera, or a free view with or without perspective. Values are in the
 * order of CAMERA_CHANNELS.
 */
export class StageCameras {
  readonly perspective = new THREE.PerspectiveCamera();
  private readonly flat = new THREE.OrthographicCamera();
  private readonly fitted = new Float64Array(8);
  private through = true;
  private parallel = false;

  constructor(private readonly site: CameraSite) {}

  /** The camera that draws now. */
  get current(): THREE.Camera {
    return this.parallel && !this.through ? this.flat : this.perspective;
  }
  get isThrough(): boolean {
    return this.through;
  }
  /** Width over height of the picture. */
  get aspect(): number {
    const { width, height } = this.site.program.sequence.picture;
    return width / height;
  }

  /** Whether the picture is seen through the camera, or from the free view. */
  setThrough(through: boolean): void {
    this.through = through;
    this.site.invalidate();
  }

  /** Draws the free view without perspective. */
  setParallel(on: boolean): void {
    this.leaveCamera();
    this.parallel = on;
    this.site.invalidate();
  }

  /** The camera's values at the time that the stage shows. */
  programValues(): CameraValues {
    this.site.update();
    return valuesOf(this.site.currentPose.camera);
  }

  /** Brings the camera that draws to the pose and the view as they are. Allocates nothing. */
  place(): void {
    const { width, height, index, centre, size } = this.site;
    const aspect = width / height;
    const values = this.through ? this.fittedCamera(aspect) : this.viewValues();
    if (this.current === this.flat) setParallelCamera(this.flat, values, index.assembly.up, aspect, centre, size * 1.5);
    else setCamera(this.perspective, values, index.assembly.up, aspect, centre, size * 1.5);
  }

  /** The camera's values with the lens shortened where the stage is narrower than the picture, so all of it shows. */
  private fittedCamera(aspect: number): Float64Array {
    const values = this.fitted;
    values.set(this.site.currentPose.camera);
    const { width, height } = this.site.program.sequence.picture;
    const picture = width / height;
    // The lens gives the horizontal angle of the picture; a wider stage shows more at the sides instead.
    if (aspect > picture) values[7] = (nth(values, 7) * picture) / aspect;
    return values;
  }

  /** The picture's frame on the canvas in CSS pixels, while looking through the camera. */
  pictureFrame(): { left: number; top: number; width: number; height: number } {
    const { width, height } = this.site.program.sequence.picture;
    const picture = width / height;
    const aspect = this.site.width / this.site.height;
    const w = aspect > picture ? this.site.height * picture : this.site.width;
    const h = aspect > picture ? this.site.height : this.site.width / picture;
    return { left: (this.site.width - w) / 2, top: (this.site.height - h) / 2, width: w, height: h };
  }

  private viewValues(): Float64Array {
    for (let i = 0; i < CAMERA_CHANNELS.length; i++)
      this.fitted[i] = this.site.control.view[CAMERA_CHANNELS[i] as keyof CameraValues];
    return this.fitted;
  }

  /** Fits the free view round nodes (all when the list is empty), keeping its direction. */
  fit(nodes: readonly number[]): void {
    this.site.update();
    const box = posedBounds(this.site.index, nodes.length > 0 ? nodes : this.site.index.roots, this.site.currentPose);
    if (!(nth(box, 0) <= nth(box, 3))) return;
    const v = this.leaveCamera();
    this.site.control.orbitAbout = null;
    this.site.control.view = {
      ...v,
      ...fitBox(
        box.subarray(0, 3),
        box.subarray(3, 6),
        v.azimuth,
        v.elevation,
        v.lens,
        this.site.width / this.site.height,
        this.site.index.assembly.up,
        nodes.length > 0 ? 0.3 : 0.12,
      ),
    };
    this.site.invalidate();
  }

  /** Looks square from a side, keeping what is aimed at. */
  lookFrom(azimuth: number, elevation: number): void {
    const v = this.leaveCamera();
    this.site.control.view = { ...v, azimuth: nearestTurn(azimuth, v.azimuth), elevation, roll: 0 };
    this.site.invalidate();
  }

  /** Looks square at a feature of a part as it stands. */
  lookSquare(picked: PickedFeature): void {
    const direction = worldDirection(this.site.currentPose, picked);
    if (!direction) return;
    this.leaveCamera();
    const eye = new THREE.Vector3().setFromMatrixPosition(this.current.matrixWorld);
    const point = worldPoint(this.site.currentPose, picked);
    // An axis has no front; it is looked along from the side that is nearer.
    if (picked.feature.kind !== "face" && direction.dot(eye.sub(point)) < 0) direction.negate();
    this.site.control.squareTo(direction.toArray(), point.toArray());
    this.site.invalidate();
  }

  /** Starts the free view from what is on screen, when the camera was being looked through. */
  leaveCamera(): CameraValues {
    if (this.through) {
      const values = this.fittedCamera(this.site.width / this.site.height);
      this.site.control.view = valuesOf(values);
      this.site.control.view.lens = Math.max(SENSOR_WIDTH_MM / 9, this.site.control.view.lens);
      this.through = false;
      this.site.events.onLook();
    }
    return this.site.control.view;
  }

  /** The free view as camera values: with the lens the picture would need to show as much. */
  keptView(): CameraValues {
    if (this.through) return this.programValues();
    const aspect = this.site.width / this.site.height;
    const { width, height } = this.site.program.sequence.picture;
    const view = { ...this.site.control.view };
    if (aspect > width / height) view.lens = (view.lens * aspect) / (width / height);
    return view;
  }

  /** Where a world point lies on the canvas, CSS pixels; null behind the viewer. */
  toScreen(point: ReadonlyTriple): { x: number; y: number } | null {
    const p = new THREE.Vector3(...point).project(this.current);
    if (p.z > 1) return null;
    return { x: ((p.x + 1) / 2) * this.site.width, y: ((1 - p.y) / 2) * this.site.height };
  }

  /** Length of a CSS pixel at a world point, mm. */
  mmPerPixel(point: ReadonlyTriple): number {
    const c = this.current;
    if (c instanceof THREE.OrthographicCamera) return (c.top - c.bottom) / this.site.height;
    const away = -new THREE.Vector3(...point).applyMatrix4(c.matrixWorldInverse).z;
    return (2 * away * Math.tan((this.perspective.fov * Math.PI) / 360)) / this.site.height;
  }

  /** The same as numbers in the order of CAMERA_CHANNELS. */
  keptNumbers(): number[] {
    const kept = this.keptView();
    return CAMERA_CHANNELS.map((name) => kept[name]);
  }
}

/** Eight numbers as camera values. */
export const valuesOf = (numbers: ArrayLike<number>): CameraValues =>
  Object.fromEntries(CAMERA_CHANNELS.map((name, i) => [name, nth(numbers, i)])) as CameraValues;
