import * as THREE from "three";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { Program } from "../core/program/program";
import type { Pose } from "../core/program/sampling";
import { drawNotes, STAGE_FONT } from "./notesLayer";
import { setCamera } from "./picture";

/** What a still is taken of. */
export interface StillSite {
  readonly renderer: THREE.WebGLRenderer;
  readonly canvas: HTMLCanvasElement;
  readonly program: Program;
  readonly currentPose: Pose;
  readonly index: AssemblyIndex;
  readonly centre: THREE.Vector3;
  readonly size: number;
  readonly width: number;
  readonly height: number;
  /** Draws the stage. */
  draw(): void;
}

/**
 * Takes a picture of the present moment, seen by `values` and drawn by `paint`. It is copied at once and the stage
 * drawn again in the same breath, so that nobody ever sees the small picture.
 */
export function takeStill(
  site: StillSite,
  paint: (camera: THREE.Camera) => void,
  values: ArrayLike<number>,
  width: number,
  height: number,
  type: string,
): Promise<Blob> {
  const { renderer } = site;
  const ratio = renderer.getPixelRatio();
  const shot = new THREE.PerspectiveCamera();
  setCamera(shot, values, site.index.assembly.up, width / height, site.centre, site.size * 1.5);
  // Where the canvas does not smooth edges, twice the size brought down does.
  const smooth = renderer.getContext().getContextAttributes()?.antialias === true;
  renderer.setPixelRatio(smooth ? 1 : 2);
  renderer.setSize(width, height, false);
  paint(shot);
  const copy = new OffscreenCanvas(width, height);
  const c = copy.getContext("2d");
  if (c) c.imageSmoothingQuality = "high";
  c?.drawImage(site.canvas, 0, 0, width, height);
  const whole = { left: 0, top: 0, width, height };
  if (c) drawNotes(c, site.program, site.currentPose, shot, whole, whole, STAGE_FONT);
  renderer.setPixelRatio(ratio);
  renderer.setSize(site.width, site.height, false);
  site.draw();
  return copy.convertToBlob({ type, quality: 0.82 });
}
