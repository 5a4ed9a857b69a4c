import { linearOf } from "../color/srgb";
import type { Triple } from "../math/triple";
import type { LightRig } from "./rigs";

/** Numbers of a packed panel: lowest and highest corner, then red, green, blue. */
const STRIDE = 9;
/** Colour of a panel that names none: a warm white. */
const WARM = 0xfffbf3;

/** A closed room of glowing panels, seen from its middle. */
export interface Room {
  readonly shell: Readonly<Triple>;
  readonly panels: Float64Array;
}

/** The room of a set-up, ready to be looked into. */
export function roomOf(rig: Pick<LightRig, "shell" | "panels">): Room {
  const panels = new Float64Array(rig.panels.length * STRIDE);
  rig.panels.forEach(([x, y, z, w, h, d, light, color = WARM], i) => {
    const channel = (shift: number) => light * linearOf(((color >> shift) & 255) / 255);
    panels.set(
      [x - w / 2, y - h / 2, z - d / 2, x + w / 2, y + h / 2, z + d / 2, channel(16), channel(8), channel(0)],
      i * STRIDE,
    );
  });
  return { shell: [...rig.shell], panels };
}

/**
 * Which panel is seen from the middle of the room in a direction (any length): a number for `addLight`, -1 for the
 * bare room. The nearest panel hides what is behind it (slab test: Kay and Kajiya, "Ray tracing complex scenes", 1986).
 */
export function panelSeen({ panels }: Room, x: number, y: number, z: number): number {
  const [ix, iy, iz] = [1 / (x || TINY), 1 / (y || TINY), 1 / (z || TINY)];
  let nearest = Number.POSITIVE_INFINITY;
  let seen = -1;
  for (let o = 0; o < panels.length; o += STRIDE) {
    const x0 = (panels[o] as number) * ix;
    const x1 = (panels[o + 3] as number) * ix;
    const y0 = (panels[o + 1] as number) * iy;
    const y1 = (panels[o + 4] as number) * iy;
    const z0 = (panels[o + 2] as number) * iz;
    const z1 = (panels[o + 5] as number) * iz;
    const enter = Math.max(Math.min(x0, x1), Math.min(y0, y1), Math.min(z0, z1));
    const leave = Math.min(Math.max(x0, x1), Math.max(y0, y1), Math.max(z0, z1));
    if (enter > 0 && enter <= leave && enter < nearest) {
      nearest = enter;
      seen = o;
    }
  }
  return seen;
}

/** Adds `weight` times the light of what `panelSeen` found to the red, green and blue of `sum`. */
export function addLight({ panels, shell }: Room, seen: number, weight: number, sum: Float64Array): void {
  for (let k = 0; k < 3; k++) {
    const light = seen < 0 ? (shell[k] as number) : (panels[seen + 6 + k] as number);
    sum[k] = (sum[k] as number) + weight * light;
  }
}

const TINY = 1e-300;
