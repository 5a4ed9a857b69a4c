import fc from "fast-check";
import { expect, test } from "vitest";
import { TILE, tilesOf } from "./tiles";

test("a picture that fits is drawn in one piece, as large as it is", () => {
  expect(tilesOf({ width: 1280, height: 720 }, 2)).toEqual({
    ...{ width: 2560, height: 1440 },
    list: [{ x: 0, y: 0, inner: { x: 0, y: 0, width: 2560, height: 1440 } }],
  });
});

test("tiles cover the picture once, in whole pixels of it, with room around what is shown", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 16, max: 900 }),
      fc.integer({ min: 16, max: 900 }),
      fc.integer({ min: 1, max: 4 }),
      fc.integer({ min: 200, max: 700 }),
      (width, height, fineness, most) => {
        const tiles = tilesOf({ width, height }, fineness, most);
        let area = 0;
        for (const { x, y, inner } of tiles.list) {
          expect([inner.x % fineness, inner.y % fineness]).toEqual([0, 0]);
          expect(inner.x).toBeGreaterThanOrEqual(Math.max(0, x));
          expect(inner.x + inner.width).toBeLessThanOrEqual(Math.min(width * fineness, x + tiles.width));
          expect(inner.y + inner.height).toBeLessThanOrEqual(Math.min(height * fineness, y + tiles.height));
          if (tiles.width < width * fineness) expect(inner.x - x).toBe(64);
          area += inner.width * inner.height;
        }
        expect(area).toBe(width * height * fineness * fineness);
        expect(Math.max(tiles.width, tiles.height)).toBeLessThanOrEqual(most);
        const corners = tiles.list.map((t) => `${t.inner.x} ${t.inner.y}`);
        expect(new Set(corners).size).toBe(corners.length);
      },
    ),
  );
  expect(TILE).toBe(4096);
});
