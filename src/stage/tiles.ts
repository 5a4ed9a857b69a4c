/** Largest side that is drawn in one piece, pixels: every machine that draws at all can draw that. */
export const TILE = 4096;
/** So much more is drawn round a tile than is shown of it, for what looks at its neighbours; pixels. */
const AROUND = 64;

export interface Tile {
  /** Where what is drawn begins in the whole, pixels as drawn. */
  x: number;
  y: number;
  /** What of it is shown. */
  inner: { x: number; y: number; width: number; height: number };
}

/** How a picture is drawn: in how large pieces, and which. */
export interface Tiles {
  width: number;
  height: number;
  list: readonly Tile[];
}

/**
 * Cuts a picture that is drawn `fineness` times as large into tiles no larger than `most` pixels a side; what is shown
 * of them covers it once, in whole pixels of the picture.
 */
export function tilesOf(picture: { width: number; height: number }, fineness: number, most = TILE): Tiles {
  const [width, height] = [picture.width * fineness, picture.height * fineness];
  const across = along(width, fineness, most);
  const down = along(height, fineness, most);
  const list = down.cuts.flatMap((row) =>
    across.cuts.map((column) => ({
      ...{ x: column.at, y: row.at },
      inner: { x: column.from, y: row.from, width: column.to - column.from, height: row.to - row.from },
    })),
  );
  return { width: across.size, height: down.size, list };
}

function along(
  length: number,
  fineness: number,
  most: number,
): { size: number; cuts: { at: number; from: number; to: number }[] } {
  if (length <= most) return { size: length, cuts: [{ at: 0, from: 0, to: length }] };
  const room = most - 2 * AROUND;
  const inner = room - (room % fineness);
  const cuts: { at: number; from: number; to: number }[] = [];
  for (let from = 0; from < length; from += inner)
    cuts.push({ at: from - AROUND, from, to: Math.min(length, from + inner) });
  return { size: most, cuts };
}
