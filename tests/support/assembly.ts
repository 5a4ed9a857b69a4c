import { type Assembly, type AssemblyIndex, indexAssembly } from "../../src/core/assembly/assembly";
import type { AssemblyPackage } from "../../src/core/assembly/package";
import { emptyPreparation, type Joint } from "../../src/core/document/preparation";
import { type CameraValues, type Key, newSequence, newStep, type Sequence } from "../../src/core/document/sequence";
import type { Ease } from "../../src/core/ease/ease";
import { featureEdges } from "../../src/core/geometry/featureEdges";
import { boundsOf } from "../../src/core/geometry/geometry";
import type { Triple } from "../../src/core/math/triple";
import { TICKS_PER_SECOND } from "../../src/core/time/time";

const shift = (x: number, y: number, z: number) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];

/** A made-up three-level assembly: root > (arm > (a, b), base). Turned and shifted, so that frames matter. */
export function smallAssembly(): Assembly {
  const box = { min: [-5, -5, -5] as Triple, max: [5, 5, 5] as Triple };
  const quarter = [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 100, 0, 0, 1];
  const node = (key: string, parent: number, home: number[], geometry: number) => ({
    key,
    name: key.split("/").pop() as string,
    parent,
    kind: (geometry < 0 ? "assembly" : "part") as "assembly" | "part",
    home,
    geometry,
    color: null,
  });
  return {
    version: 1,
    name: "Small",
    format: "step",
    unit: "mm",
    up: "z",
    nodes: [
      node("root", -1, shift(0, 0, 0), -1),
      node("root/arm", 0, quarter, -1),
      node("root/arm/a", 1, shift(20, 0, 0), 0),
      node("root/arm/b", 1, shift(0, 30, 7), 0),
      node("root/base", 0, shift(0, -40, 0), 0),
    ],
    geometries: [{ id: "g0", triangles: 12, bounds: box }],
    warnings: [],
  };
}

export const smallIndex = (): AssemblyIndex => indexAssembly(smallAssembly());

/** A camera; each sequence gets a copy, for what is put into a document is frozen there. */
export const CAMERA: CameraValues = {
  "aim.x": 0,
  "aim.y": 0,
  "aim.z": 0,
  azimuth: 30,
  elevation: 20,
  distance: 500,
  roll: 0,
  lens: 50,
};
export const seconds = (s: number) => Math.round(s * TICKS_PER_SECOND);
export const SOFT: Ease = { kind: "soft", start: 0.3, stop: 0.4 };

/** An arrival in seconds. */
export function key(
  id: string,
  at: number,
  lead: number | "previous",
  values: Record<string, number>,
  ease: Ease = SOFT,
): Key {
  return { id, at: seconds(at), lead: lead === "previous" ? lead : seconds(lead), ease, values };
}

/**
 * A sequence with steps of half a second still, two seconds of action, half a second still; arrivals for one target
 * each.
 */
export function sequenceOf(steps: Record<string, Key[]>[]): Sequence {
  const sequence = newSequence("Test", { ...CAMERA }, "s0");
  sequence.steps = {};
  sequence.stepOrder = [];
  steps.forEach((targets, i) => {
    const id = `s${i}`;
    const step = newStep(id, `Step ${i}`);
    for (const [target, keys] of Object.entries(targets)) {
      const move = `m-${target.replace(/\W/g, "_")}`;
      step.moves[move] = {
        id: move,
        name: target,
        on: true,
        folder: null,
        colour: null,
        note: "",
        kind: "hand",
        target: target === "camera" ? { type: "camera", id: "main" } : { type: "node", key: target },
        keys: Object.fromEntries(keys.map((k) => [k.id, k])),
      };
    }
    sequence.steps[id] = step;
    sequence.stepOrder.push(id);
  });
  return sequence;
}

export const preparation = emptyPreparation;

/** A package with real geometry: a cube whose six faces have their own vertices. */
export function cubePackage(): AssemblyPackage {
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  const faces: number[] = [];
  for (let axis = 0; axis < 3; axis++) {
    for (const side of [-1, 1]) {
      const base = positions.length / 3;
      for (const [u, v] of [
        [-1, -1],
        [1, -1],
        [1, 1],
        [-1, 1],
      ] as const) {
        const p = [0, 0, 0];
        p[axis] = side * 5;
        p[(axis + 1) % 3] = u * 5 * side;
        p[(axis + 2) % 3] = v * 5;
        const n = [0, 0, 0];
        n[axis] = side;
        positions.push(...p);
        normals.push(...n);
      }
      faces.push(
        indices.length / 3,
        2,
        0,
        0,
        0,
        0,
        axis === 0 ? side : 0,
        axis === 1 ? side : 0,
        axis === 2 ? side : 0,
        0,
        0,
        -1,
      );
      indices.push(base, base + 1, base + 2, base, base + 2, base + 3);
    }
  }
  const g = {
    id: "g0",
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    indices: Uint32Array.from(indices),
    faces: Float64Array.from(faces),
  };
  return {
    assembly: smallAssembly(),
    geometries: [
      { ...g, edges: featureEdges(g.positions, g.normals, g.indices, g.faces), bounds: boundsOf(g.positions) },
    ],
  };
}

/** A hinge about z through the origin of its part, or whatever `more` makes of it. */
export function joint(id: string, target: Joint["target"], more: Partial<Joint> = {}): Joint {
  return {
    id,
    name: id,
    target,
    kind: "hinge",
    point: [0, 0, 0],
    direction: [0, 0, 1],
    zero: 0,
    flipped: false,
    pitch: 0,
    limits: null,
    ...more,
  };
}
