import * as THREE from "three";
import type { LightSetup } from "../core/document/surroundings";
import { keptLight } from "../core/light/keptLight";

/**
 * The map of light of a set-up as a texture that is ready for rough and smooth surfaces. Nothing is drawn for it: where
 * there is no graphics card, compiling what three.js draws one with takes longer than all the rest of a first picture.
 */
export function lightTexture(light: LightSetup): THREE.Texture {
  const levels = keptLight(light);
  const images = Array.from({ length: 6 }, (_, face) => ({
    width: levels[0]?.size ?? 1,
    height: levels[0]?.size ?? 1,
    mipmaps: levels.map(({ size, faces }) => ({
      width: size,
      height: size,
      data: faces.subarray(4 * face * size * size, 4 * (face + 1) * size * size),
    })),
  }));
  // The one kind of cube texture that three.js takes level by level; with this format it is not compressed.
  const texture = new THREE.CompressedCubeTexture(
    images as unknown as THREE.CompressedTextureMipmap[],
    THREE.RGBAFormat as unknown as THREE.CompressedPixelFormat,
    THREE.HalfFloatType,
  );
  Object.assign(texture, { isPMREMTexture: true });
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.magFilter = THREE.LinearFilter;
  texture.needsUpdate = true;
  return texture;
}
