import * as THREE from "three";
import type { Finish } from "../core/document/surroundings";
import { STAGE_COLORS } from "./palette";

/** How a part looks, resolved from CAD, preparation or look. */
export interface Surface {
  color: THREE.Color;
  roughness: number;
  metalness: number;
  opacity: number;
  emitted: THREE.Color;
  /** Faces keep the colours that CAD gave them. */
  faces: boolean;
  ghost: boolean;
}

/** A look for a CAD colour: most CAD files know nothing of finishes. */
export function cadSurface(color: readonly [number, number, number, number] | null): Surface {
  const c = new THREE.Color();
  if (color) c.setRGB(color[0], color[1], color[2], THREE.LinearSRGBColorSpace);
  else c.setHex(STAGE_COLORS.part);
  const opacity = color?.[3] ?? 1;
  return {
    color: c,
    roughness: opacity < 0.999 ? 0.12 : 0.46,
    metalness: 0.12,
    opacity,
    emitted: new THREE.Color(0, 0, 0),
    faces: true,
    ghost: false,
  };
}

export function finishSurface(f: Finish): Surface {
  return {
    color: new THREE.Color(f.color),
    roughness: Math.max(0.03, f.roughness),
    metalness: f.metalness,
    opacity: f.opacity,
    emitted: new THREE.Color(f.emissive).multiplyScalar(f.glow),
    faces: false,
    ghost: false,
  };
}
