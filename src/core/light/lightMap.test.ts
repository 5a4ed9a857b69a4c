import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { LIGHT_SETUPS } from "../document/surroundings";
import type { Triple } from "../math/triple";
import { addSeen, blackCube, type CubePicture, halved, oppositeTexels, texelsOf, towards } from "./cube";
import { lightMap, roughnessOf } from "./lightMap";
import { LIGHT_RIGS, type Panel } from "./rigs";
import { addLight, panelSeen, roomOf } from "./room";

const seen = (from: CubePicture, [x, y, z]: Readonly<Triple>): number[] => {
  const sum = new Float64Array(3);
  addSeen(from, x, y, z, 1, sum);
  return [...sum];
};

/**
 * What a surface of a roughness mirrors of a room along a direction, summed over a fine grid: slow and plain. The
 * panels' edges are sharp here, so near them a narrow lobe is a little off.
 */
function plainly(rig: { shell: Triple; panels: readonly Panel[] }, n: Readonly<Triple>, roughness: number): number {
  const room = roomOf(rig);
  const a2 = roughness ** 4;
  const texels = texelsOf(96);
  const light = new Float64Array(3);
  let [sum, all] = [0, 0];
  for (let o = 0; o < texels.length; o += 4) {
    const [x, y, z, solid] = texels.subarray(o, o + 4) as unknown as [number, number, number, number];
    const cosine = n[0] * x + n[1] * y + n[2] * z;
    if (cosine <= 0) continue;
    const half = (1 + cosine) / 2;
    const weight = (solid * cosine * a2) / (half * (a2 - 1) + 1) ** 2;
    light.fill(0);
    // Left and right are changed round, as the map is.
    addLight(room, panelSeen(room, -x, y, z), 1, light);
    sum += weight * (light[1] as number);
    all += weight;
  }
  return sum / all;
}

describe("a cube of pictures", () => {
  test("has a direction of length 1 for each texel, in the order graphics cards take, and fills the sphere", () => {
    expect(towards(0, 0.5, 0.25, [0, 0, 0])).toEqual([1, -0.25, -0.5]);
    expect(towards(1, 0.5, 0.25, [0, 0, 0])).toEqual([-1, -0.25, 0.5]);
    expect(towards(2, 0.5, 0.25, [0, 0, 0])).toEqual([0.5, 1, 0.25]);
    expect(towards(3, 0.5, 0.25, [0, 0, 0])).toEqual([0.5, -1, -0.25]);
    expect(towards(4, 0.5, 0.25, [0, 0, 0])).toEqual([0.5, -0.25, 1]);
    expect(towards(5, 0.5, 0.25, [0, 0, 0])).toEqual([-0.5, -0.25, -1]);
    const texels = texelsOf(32);
    let all = 0;
    for (let o = 0; o < texels.length; o += 4) {
      expect(Math.hypot(...texels.subarray(o, o + 3))).toBeCloseTo(1, 12);
      all += texels[o + 3] as number;
    }
    expect(all / (4 * Math.PI)).toBeCloseTo(1, 2);
  });

  test("shows in a texel's direction what the texel holds, whatever the face, and between two what lies between", () => {
    const cube = blackCube(8);
    cube.data.forEach((_, i) => {
      cube.data[i] = Math.sin(i);
    });
    const texels = texelsOf(8);
    for (let o = 0, at = 0; o < texels.length; o += 4, at += 3)
      seen(cube, [...texels.subarray(o, o + 3)] as Triple).forEach((v, k) => {
        expect(v).toBeCloseTo(cube.data[at + k] as number, 6);
      });
    fc.assert(
      fc.property(real(-1, 1), real(-1, 1), real(-1, 1), real(0.1, 9), (x, y, z, far) => {
        fc.pre(Math.hypot(x, y, z) > 1e-3);
        const here = seen(cube, [x, y, z]);
        for (const v of here) expect(Math.abs(v)).toBeLessThanOrEqual(1);
        seen(cube, [x * far, y * far, z * far]).forEach((v, k) => {
          expect(v).toBeCloseTo(here[k] as number, 6);
        });
      }),
      { endOnFailure: true },
    );
  });

  test("knows of each texel which lies opposite", () => {
    const texels = texelsOf(8);
    const pairs = oppositeTexels(8);
    expect(new Set(pairs).size).toBe(6 * 64);
    for (let p = 0; p < pairs.length; p += 2)
      for (let k = 0; k < 3; k++) {
        const [one, other] = [texels[4 * (pairs[p] as number) + k], texels[4 * (pairs[p + 1] as number) + k]];
        expect(one).toBeCloseTo(-(other as number), 12);
      }
  });

  test("halved, each texel is the mean of four", () => {
    const cube = blackCube(4);
    cube.data.forEach((_, i) => {
      cube.data[i] = i;
    });
    const half = halved(cube);
    expect(half.size).toBe(2);
    // The second row, third texel of the last face: rows 2 and 3, columns 2 and 3 of it.
    const at = (row: number, column: number) => 3 * ((5 * 4 + row) * 4 + column);
    expect(half.data.at(-3)).toBe((at(2, 2) + at(2, 3) + at(3, 2) + at(3, 3)) / 4);
  });
});

describe("a room", () => {
  const rig = {
    shell: [0.1, 0.2, 0.3] as Triple,
    panels: [
      [0, 5, 0, 4, 0.2, 4, 3],
      [0, 3, 0, 1, 0.2, 1, 2, 0xff0000],
    ] as Panel[],
  };
  const room = roomOf(rig);
  const light = (x: number, y: number, z: number) => {
    const sum = new Float64Array(3);
    addLight(room, panelSeen(room, x, y, z), 1, sum);
    return [...sum];
  };

  test("shows the nearest panel, what is beside it, and its bare walls elsewhere and behind", () => {
    expect(light(0, 1, 0)).toEqual([2, 0, 0]);
    const beside = light(1.5, 5, 0);
    expect(beside[0]).toBeCloseTo(3, 6);
    expect(beside[2]).toBeLessThan(3);
    expect(light(3, 5, 0)).toEqual([0.1, 0.2, 0.3]);
    expect(light(0, -1, 0)).toEqual([0.1, 0.2, 0.3]);
    expect(light(1, 0, 0)).toEqual([0.1, 0.2, 0.3]);
  });
});

describe("a map of light", () => {
  test("has a level for each roughness from a mirror to matt, each half as large", () => {
    const map = lightMap(LIGHT_RIGS.studio);
    expect(map.map((l) => l.size)).toEqual([64, 32, 16, 8]);
    expect(map.map((_, i) => Math.round(1000 * roughnessOf(i, 3)))).toEqual([0, 184, 423, 1000]);
  });

  test("of a room without panels is the colour of its walls, in every direction and at every roughness", () => {
    for (const { data } of lightMap({ shell: [0.25, 0.5, 0.75], panels: [] })) {
      const off = data.reduce((most, v, i) => Math.max(most, Math.abs(v - 0.25 * ((i % 3) + 1))), 0);
      expect(off).toBeLessThan(1e-6);
    }
  });

  test.each(LIGHT_SETUPS)("of %s is what a plain sum over the room gives, level by level", (setup) => {
    const rig = LIGHT_RIGS[setup];
    const map = lightMap(rig);
    const last = map.length - 1;
    let largest = 0;
    for (const { data } of map) for (const v of data) largest = Math.max(largest, v);
    for (const level of [1, 2, 3]) {
      const { size, data } = map[level] as CubePicture;
      const texels = texelsOf(size);
      // A few texels of each face.
      for (let t = 5; t < 6 * size * size; t += Math.floor((6 * size * size) / 17)) {
        const n = [...texels.subarray(4 * t, 4 * t + 3)] as Triple;
        const wanted = plainly({ ...rig, shell: [...rig.shell] }, n, roughnessOf(level, last));
        expect(Math.abs((data[3 * t + 1] as number) - wanted), `${level} ${n}`).toBeLessThan(0.05 * largest);
      }
    }
  });

  test("has left and right changed round, as a cube texture is read", () => {
    const [sharp] = lightMap({ shell: [0, 0, 0], panels: [[-5, 0, 0, 0.2, 4, 4, 1, 0xffffff]] });
    expect(seen(sharp as CubePicture, [1, 0, 0])[0]).toBeCloseTo(1, 5);
    expect(seen(sharp as CubePicture, [-1, 0, 0])[0]).toBe(0);
  });
});
