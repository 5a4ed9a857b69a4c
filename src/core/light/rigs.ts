import type { LightSetup } from "../document/surroundings";
import type { ReadonlyTriple } from "../math/triple";

/**
 * A light panel of the room that surfaces mirror: middle and size (m; the room's middle is the origin, y is up),
 * brightness, and colour as sRGB.
 */
export type Panel = readonly [
  x: number,
  y: number,
  z: number,
  w: number,
  h: number,
  d: number,
  light: number,
  color?: number,
];

/**
 * A lighting set-up, built from code: a room of soft panels that gives reflections and fill, and a key light that
 * casts the shadow.
 */
export interface LightRig {
  name: string;
  /** What it is good for, in a few words. */
  about: string;
  /** Light of the room's walls, floor and ceiling where no panel is: red, green, blue, linear. */
  shell: ReadonlyTriple;
  panels: readonly Panel[];
  /** How strong the room's light is. */
  room: number;
  key: { color: number; strength: number };
  fill: { color: number; strength: number };
}

export const LIGHT_RIGS: Readonly<Record<LightSetup, LightRig>> = {
  studio: {
    name: "Studio",
    about: "soft and even, for most work",
    shell: [0.3, 0.29, 0.28],
    panels: [
      [0, 5.8, 0, 11, 0.2, 9, 5.2],
      [-9.6, 1.5, -1, 0.2, 6, 9, 3.6],
      [9.6, 1, 2, 0.2, 5, 5, 2.2],
      [2, 1.5, 9.6, 6, 4.5, 0.2, 2.4],
      [0, -5.9, 0, 20, 0.1, 20, 0.34],
    ],
    room: 0.62,
    key: { color: 0xfff4e2, strength: 2.3 },
    fill: { color: 0xdfeaff, strength: 0.5 },
  },
  window: {
    name: "Window",
    about: "one large side light; form reads strongly",
    shell: [0.24, 0.25, 0.28],
    panels: [
      [-9.6, 1.5, 1, 0.2, 8, 13, 6.2, 0xeaf3ff],
      [0, 5.8, 0, 6, 0.2, 6, 0.9],
      [9.6, 0, -2, 0.2, 4, 6, 0.7, 0xffe9cc],
      [0, -5.9, 0, 20, 0.1, 20, 0.2],
    ],
    room: 0.7,
    key: { color: 0xf2f7ff, strength: 2.7 },
    fill: { color: 0xffe8cf, strength: 0.22 },
  },
  bench: {
    name: "Bench",
    about: "bright and flat, for reading small parts",
    shell: [0.86, 0.86, 0.84],
    panels: [
      [-4, 5.8, 0, 2, 0.2, 14, 4.5],
      [4, 5.8, 0, 2, 0.2, 14, 4.5],
      [0, 0, 9.6, 16, 6, 0.2, 1.3],
      [0, -5.9, 0, 20, 0.1, 20, 0.7],
    ],
    room: 0.72,
    key: { color: 0xffffff, strength: 1.25 },
    fill: { color: 0xffffff, strength: 0.75 },
  },
  evening: {
    name: "Evening",
    about: "dark room, warm key, cool edge; for titles",
    shell: [0.05, 0.055, 0.075],
    panels: [
      [-9.6, 2, 3, 0.2, 4, 4, 5.5, 0xffd9a8],
      [8, 3, -9.6, 5, 5, 0.2, 5, 0xa9c8ff],
      [0, 5.8, 0, 3, 0.2, 3, 1.4],
    ],
    room: 0.75,
    key: { color: 0xffdcae, strength: 2.4 },
    fill: { color: 0x9fbcff, strength: 0.4 },
  },
};
