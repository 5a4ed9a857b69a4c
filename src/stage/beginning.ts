import type * as THREE from "three";
import type { Surroundings } from "../core/document/surroundings";
import { environmentOf, LIGHT_RIGS } from "./lights";
import { createRenderer } from "./picture";

/** A renderer that has begun before there is anything to draw. */
export interface Beginning {
  renderer: THREE.WebGLRenderer;
  /** Maps of light that are on their way, by set-up. */
  environments: ReadonlyMap<string, THREE.Texture>;
}

/**
 * Begins a picture while what it shows is still being read: its map of light takes the graphics most of a second where
 * there is no card, and this thread nothing. @throws where the browser has no WebGL 2
 */
export function beginPicture(canvas: HTMLCanvasElement, light: Surroundings["light"]): Beginning {
  const renderer = createRenderer(canvas);
  const environments = new Map([[light, environmentOf(renderer, LIGHT_RIGS[light])]]);
  renderer.getContext().flush();
  return { renderer, environments };
}
