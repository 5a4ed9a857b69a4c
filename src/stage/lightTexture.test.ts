import * as THREE from "three";
import { expect, test } from "vitest";
import { lightMap } from "../core/light/lightMap";
import { LIGHT_RIGS } from "../core/light/rigs";
import { lightTexture } from "./lightTexture";

test("a set-up's map of light is handed over level by level, face by face", () => {
  const texture = lightTexture("evening") as THREE.CompressedCubeTexture & { isPMREMTexture?: boolean };
  expect(texture).toMatchObject({ isPMREMTexture: true, isCubeTexture: true, type: THREE.HalfFloatType });
  const faces = texture.image as unknown as { width: number; mipmaps: { width: number; data: Uint16Array }[] }[];
  expect(faces).toHaveLength(6);
  const map = lightMap(LIGHT_RIGS.evening);
  faces.forEach(({ width, mipmaps }, face) => {
    expect(width).toBe(map[0]?.size);
    expect(mipmaps.map((m) => m.width)).toEqual(map.map((l) => l.size));
    mipmaps.forEach(({ data, width: size }, level) => {
      expect(data).toHaveLength(4 * size * size);
      for (const i of [0, size * size - 1, size + 1]) {
        const at = 3 * (face * size * size + i);
        for (let k = 0; k < 3; k++) {
          const wanted = map[level]?.data[at + k] as number;
          expect(THREE.DataUtils.fromHalfFloat(data[4 * i + k] as number) / wanted).toBeCloseTo(1, 2);
        }
        expect(THREE.DataUtils.fromHalfFloat(data[4 * i + 3] as number)).toBe(1);
      }
    });
  });
});
