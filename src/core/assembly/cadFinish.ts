import { srgbByte } from "../color/srgb";
import type { Finish } from "../document/surroundings";

const hex = (linear: number) => srgbByte(linear).toString(16).padStart(2, "0").toUpperCase();

/** Colour of parts to which CAD gave none. */
export const PLAIN_COLOR = "#B9BEC1";

/** A CAD colour (linear RGBA) as a finish: most CAD files know of colour and transparency only. */
export function cadFinish(color: readonly [number, number, number, number] | null): Finish {
  const opacity = color?.[3] ?? 1;
  return {
    color: color ? `#${hex(color[0])}${hex(color[1])}${hex(color[2])}` : PLAIN_COLOR,
    roughness: opacity < 0.999 ? 0.12 : 0.46,
    metalness: 0.12,
    opacity,
    emissive: "#000000",
    glow: 0,
  };
}
