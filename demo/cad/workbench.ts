import type { Item } from "./rill";
import type { Solids, Vec } from "./solids";

const X: Vec = [1, 0, 0];
const Y: Vec = [0, 1, 0];
const Z: Vec = [0, 0, 1];
const GREY = [0.78, 0.79, 0.8] as const;
const BLUE = [0.3, 0.5, 0.65] as const;
const BRASS = [0.76, 0.6, 0.32] as const;
const RED = [0.7, 0.33, 0.25] as const;

/**
 * A workbench with one small mechanism of each kind that the counted walk-throughs are about, side by side along X;
 * Z up, the front looks along +Y, mm. The jaws are mirror images about x = -100; the stirrer leans 25 degrees.
 */
export function workbench(s: Solids): Item {
  const part = (name: string, solid: unknown, color: readonly [number, number, number] = GREY): Item => ({
    name,
    solid,
    color,
  });
  const drum = (name: string, x: number) => part(name, s.cylinder([x, 0, 40], X, 15, 18), BLUE);
  const jaw = (name: string, sign: 1 | -1) => {
    const at = (x: number) => -100 + sign * x;
    const [a, b] = [at(3), at(26)].sort((p, q) => p - q) as [number, number];
    return part(name, s.cut(s.box([a, -8, 18], [b, 8, 62]), s.cylinder([at(20), -9, 25], Y, 3, 18)), BRASS);
  };
  const blade = (y: number) => s.box([-14, y < 0 ? -3 : 0, 4], [14, y < 0 ? 0 : 3, 14]);
  return {
    name: "Workbench",
    items: [
      { item: part("Plate", s.box([-310, -70, -10], [310, 70, 0])) },
      {
        item: {
          name: "Counter",
          items: [
            { item: drum("Drum of ones", -290) },
            { item: drum("Drum of tens", -268) },
            { item: drum("Drum of hundreds", -246) },
          ],
        },
      },
      { item: part("Float", s.sphere([-180, 0, 60], 12), RED) },
      { item: jaw("Left jaw", -1) },
      { item: jaw("Right jaw", 1) },
      { item: part("Post", s.cylinder([0, 0, 0], Z, 8, 80)) },
      { item: part("Hose end", s.tube([-50, 0, 40], X, 6, 4, 24), BLUE) },
      {
        item: {
          name: "Valve",
          items: [
            { item: part("Valve body", s.tube([70, 0, 0], Z, 16, 8, 40)) },
            { item: part("Stem", s.cylinder([70, 0, 6], Z, 4, 40), BRASS) },
            { item: part("Spring seat", s.tube([70, 0, 46], Z, 8, 4, 5), BLUE) },
            { item: part("Cap", s.tube([70, 0, 51], Z, 16, 6, 8), RED) },
          ],
        },
      },
      { item: part("Seal", s.torus([130, 0, 30], Z, 15, 3), RED) },
      {
        item: {
          name: "Pump",
          items: [
            {
              item: part("Crank", s.fuse(s.cylinder([190, 0, 40], Y, 20, 6), s.cylinder([190, -6, 54], Y, 3, 7)), BLUE),
            },
            { item: part("Rod", s.box([188, -6, 52], [192, -2, 106])) },
            { item: part("Plunger", s.cylinder([190, -4, 100], Z, 9, 30), BRASS) },
          ],
        },
      },
      {
        item: {
          name: "Stirrer",
          items: [
            { item: part("Shaft", s.cylinder([0, 0, 0], Z, 4, 90)) },
            { item: part("Blades", s.fuse(blade(-1), blade(1)), BRASS) },
          ],
        },
        at: [265, 0, 12],
        turn: [Y, 25],
      },
    ],
  };
}
