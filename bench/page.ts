import type * as THREE from "three";
import type { StageEvents } from "../src/stage/stagePort";

/** Size of the pictures that are measured: tiny, so that script weighs as much as it can. */
export const WIDTH = 160;
export const HEIGHT = 90;

/** A canvas of that size on the page. */
export function canvasOf(): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = WIDTH;
  canvas.height = HEIGHT;
  document.body.append(canvas);
  return canvas;
}

const pixel = new Uint8Array(4);
/** Waits until the picture is drawn, software or not. */
export function finish(renderer: THREE.WebGLRenderer): void {
  const gl = renderer.getContext();
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
}

const nothing = () => {};
/** A stage that tells nobody. */
export const NO_EVENTS: StageEvents = {
  onPick: nothing,
  onHover: nothing,
  onHandle: nothing,
  onFeature: nothing,
  onMenu: nothing,
  onLook: nothing,
  onGraphics: () => {},
  onDrawn: nothing,
};
