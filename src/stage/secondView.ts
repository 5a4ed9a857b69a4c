import * as THREE from "three";
import type { Up } from "../core/camera/camera";
import { CAMERA_CHANNELS, type CameraValues } from "../core/document/keys";
import type { Pose } from "../core/program/sampling";
import { setCamera } from "./picture";

/** Share of the canvas that the second view may take, across and down. */
const ACROSS = 0.34;
const DOWN = 0.45;
const EDGE_PX = 10;

/** A rectangle of the canvas, CSS pixels from its upper left. */
export interface Place {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** What is shown in the second view: what the first does not show, or a camera by its first channel. */
export type SecondSource = "other" | number;

/** What a second view is drawn over. */
export interface SecondSite {
  readonly renderer: THREE.WebGLRenderer;
  readonly width: number;
  readonly height: number;
  readonly cameras: { readonly isThrough: boolean; readonly aspect: number };
  readonly control: { readonly view: CameraValues };
  readonly index: { readonly assembly: { readonly up: Up } };
  readonly centre: THREE.Vector3;
  readonly size: number;
}

/** A second view in the lower right corner of the canvas, in the picture's shape, drawn after the first. */
export class SecondView {
  source: SecondSource | null = null;
  readonly values = new Float64Array(8);
  private readonly camera = new THREE.PerspectiveCamera();
  private readonly at: Place = { left: 0, top: 0, width: 0, height: 0 };

  /** Where it lies on a canvas of a size, for a picture of a shape. The same object each time. */
  place(width: number, height: number, aspect: number): Place {
    const { at } = this;
    at.width = Math.round(Math.min(width * ACROSS, height * DOWN * aspect));
    at.height = Math.round(at.width / aspect);
    at.left = Math.round(width - at.width - EDGE_PX);
    at.top = Math.round(height - at.height - EDGE_PX);
    return at;
  }

  /**
   * Takes what it sees off a pose: a camera, or for the other view the free one where the first looks through the
   * camera.
   */
  private see(pose: Pose, free: Readonly<CameraValues> | null): void {
    const { source, values } = this;
    if (source === "other" && free)
      for (let k = 0; k < 8; k++) values[k] = free[CAMERA_CHANNELS[k] as keyof CameraValues];
    else
      for (let k = 0; k < 8; k++)
        values[k] = (typeof source === "number" ? pose.values[source + k] : undefined) ?? (pose.camera[k] as number);
  }

  /** Draws it over a stage's picture, if there is one. */
  show(stage: SecondSite, pose: Pose, paint: (camera: THREE.Camera) => void): void {
    if (this.source === null) return;
    const { renderer, width, height, cameras, index, centre, size } = stage;
    this.see(pose, cameras.isThrough ? stage.control.view : null);
    this.draw(renderer, width, height, cameras.aspect, index.assembly.up, centre, size * 1.5, paint);
  }

  /** Draws by `paint` into its place, seen by `values`. */
  private draw(
    renderer: THREE.WebGLRenderer,
    width: number,
    height: number,
    aspect: number,
    up: Up,
    centre: THREE.Vector3,
    radius: number,
    paint: (camera: THREE.Camera) => void,
  ): void {
    const at = this.place(width, height, aspect);
    const bottom = height - at.top - at.height;
    setCamera(this.camera, this.values, up, at.width / at.height, centre, radius);
    renderer.setScissorTest(true);
    renderer.setScissor(at.left, bottom, at.width, at.height);
    renderer.setViewport(at.left, bottom, at.width, at.height);
    paint(this.camera);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, width, height);
  }
}
