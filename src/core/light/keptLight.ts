import type { LightSetup } from "../document/surroundings";
import { halfOf } from "../math/half";
import { type LightMap, levelSizes, lightMap } from "./lightMap";
import { LIGHT_RIGS } from "./rigs";

/** A level as the graphics card takes it: the six faces one after the other, red, green, blue and 1, half precision. */
export interface PackedLevel {
  size: number;
  faces: Uint16Array;
}

/** 1 in half precision. */
const ONE = 0x3c00;

const packed = new Map<LightSetup, PackedLevel[]>();

/** Whether a set-up's map of light is there. */
export const lightIsKept = (light: LightSetup): boolean => packed.has(light);

/** Works a set-up's map of light out, some hundredths of a second, unless that was done already. */
export function keptLight(light: LightSetup): readonly PackedLevel[] {
  let levels = packed.get(light);
  if (!levels) {
    levels = packedLevels(lightMap(LIGHT_RIGS[light]));
    packed.set(light, levels);
  }
  return levels;
}

function packedLevels(map: LightMap): PackedLevel[] {
  return map.map(({ size, data }) => {
    const faces = new Uint16Array((data.length / 3) * 4).fill(ONE);
    for (let i = 0, o = 0; i < data.length; i += 3, o += 4)
      for (let k = 0; k < 3; k++) faces[o + k] = halfOf(data[i + k] as number);
    return { size, faces };
  });
}

/** The maps of several lights, one after the other. */
export function lightsBytes(lights: readonly LightSetup[]): Uint8Array {
  const all = lights.map(lightBytes);
  const out = new Uint8Array(all.reduce((sum, b) => sum + b.length, 0));
  let at = 0;
  for (const bytes of all) {
    out.set(bytes, at);
    at += bytes.length;
  }
  return out;
}

/** Takes over what `lightsBytes` gave for the same lights. */
export function takeLights(lights: readonly LightSetup[], bytes: Uint8Array): void {
  const each = bytes.length / lights.length;
  lights.forEach((light, i) => void takeLight(light, bytes.subarray(i * each, (i + 1) * each)));
}

/** A set-up's map of light as bytes, for who shall not have to work it out: red, green and blue, half precision. */
export function lightBytes(light: LightSetup): Uint8Array {
  const levels = keptLight(light);
  const texels = levels.reduce((sum, l) => sum + l.faces.length / 4, 0);
  const out = new DataView(new ArrayBuffer(6 * texels));
  let o = 0;
  for (const { faces } of levels)
    for (let i = 0; i < faces.length; i++) {
      if (i % 4 === 3) continue;
      out.setUint16(o, faces[i] as number, true);
      o += 2;
    }
  return new Uint8Array(out.buffer);
}

/** Takes over what `lightBytes` gave. What does not fit is left: it is worked out then. */
export function takeLight(light: LightSetup, bytes: Uint8Array): void {
  const sizes = levelSizes();
  if (bytes.length !== sizes.reduce((sum, size) => sum + 36 * size * size, 0)) return;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  let o = 0;
  packed.set(
    light,
    sizes.map((size) => {
      const faces = new Uint16Array(24 * size * size).fill(ONE);
      for (let i = 0; i < faces.length; i++) {
        if (i % 4 === 3) continue;
        faces[i] = view.getUint16(o, true);
        o += 2;
      }
      return { size, faces };
    }),
  );
}
