import type { Triple } from "../math/triple";

/**
 * Pictures of all that is round a point, as the six faces of a cube in the order and orientation of WebGL (OpenGL ES
 * 3.0, table 3.21): +x, -x, +y, -y, +z, -z, rows from the top of each face, as it is handed to the graphics card.
 */
export interface CubePicture {
  /** Edge of a face in texels. */
  readonly size: number;
  /** Red, green and blue, linear; 6 x size x size x 3 numbers. */
  readonly data: Float32Array;
}

/** A black cube. */
export const blackCube = (size: number): CubePicture => ({ size, data: new Float32Array(18 * size * size) });

/** The direction (not of length 1) to a place on a face; `s` to the right and `t` down, -1..1. */
export function towards(face: number, s: number, t: number, out: Triple): Triple {
  const side = face & 1 ? -1 : 1;
  if (face < 2) {
    out[0] = side;
    out[1] = -t;
    out[2] = -side * s;
  } else if (face < 4) {
    out[0] = s;
    out[1] = side;
    out[2] = side * t;
  } else {
    out[0] = side * s;
    out[1] = -t;
    out[2] = side;
  }
  return out;
}

/** Of each texel of a cube its direction (length 1) and the solid angle it fills, four numbers each. */
export function texelsOf(size: number): Float64Array {
  const out = new Float64Array(24 * size * size);
  const d: Triple = [0, 0, 0];
  const step = 2 / size;
  let o = 0;
  for (let face = 0; face < 6; face++)
    for (let row = 0; row < size; row++)
      for (let column = 0; column < size; column++, o += 4) {
        const s = (column + 0.5) * step - 1;
        const t = (row + 0.5) * step - 1;
        towards(face, s, t, d);
        const near = 1 / Math.sqrt(1 + s * s + t * t);
        for (let k = 0; k < 3; k++) out[o + k] = (d[k] as number) * near;
        out[o + 3] = step * step * near * near * near;
      }
  return out;
}

/** The numbers of the texels of a cube in pairs that lie opposite each other. */
export function oppositeTexels(size: number): Uint32Array {
  const out = new Uint32Array(6 * size * size);
  let o = 0;
  for (let face = 0; face < 6; face += 2)
    for (let row = 0; row < size; row++)
      for (let column = 0; column < size; column++, o += 2) {
        out[o] = (face * size + row) * size + column;
        // Above and below are turned over left for right, the sides top for bottom.
        out[o + 1] =
          face === 2
            ? ((face + 1) * size + row) * size + size - 1 - column
            : ((face + 1) * size + size - 1 - row) * size + column;
      }
  return out;
}

/**
 * Adds `weight` times what is seen in a direction (any length) to the three numbers of `sum`, between the four nearest
 * texels of the face it falls on.
 */
export function addSeen(from: CubePicture, x: number, y: number, z: number, weight: number, sum: Float64Array): void {
  const { size, data } = from;
  const [ax, ay, az] = [Math.abs(x), Math.abs(y), Math.abs(z)];
  let face: number;
  let s: number;
  let t: number;
  if (ax >= ay && ax >= az) {
    face = x > 0 ? 0 : 1;
    s = -z / x;
    t = -y / ax;
  } else if (ay >= az) {
    face = y > 0 ? 2 : 3;
    s = x / ay;
    t = z / y;
  } else {
    face = z > 0 ? 4 : 5;
    s = x / z;
    t = -y / az;
  }
  const u = Math.min(size - 1, Math.max(0, ((s + 1) * size) / 2 - 0.5));
  const v = Math.min(size - 1, Math.max(0, ((t + 1) * size) / 2 - 0.5));
  const [column, row] = [Math.min(size - 2, u | 0), Math.min(size - 2, v | 0)];
  const [fu, fv] = [u - column, v - row];
  const a = 3 * ((face * size + row) * size + column);
  const b = a + 3 * size;
  for (let k = 0; k < 3; k++) {
    const above = (data[a + k] as number) * (1 - fu) + (data[a + 3 + k] as number) * fu;
    const below = (data[b + k] as number) * (1 - fu) + (data[b + 3 + k] as number) * fu;
    sum[k] = (sum[k] as number) + weight * (above * (1 - fv) + below * fv);
  }
}

/** The same picture with half as many texels along each edge. */
export function halved(from: CubePicture): CubePicture {
  const to = blackCube(from.size / 2);
  const row = 3 * from.size;
  let at = 0;
  for (let r = 0; r < 6 * to.size; r++)
    for (let c = 0; c < to.size; c++)
      for (let k = 0; k < 3; k++, at++) {
        const a = 2 * r * row + 6 * c + k;
        const [p, q] = [from.data[a] as number, from.data[a + 3] as number];
        const [m, n] = [from.data[a + row] as number, from.data[a + row + 3] as number];
        to.data[at] = (p + q + m + n) / 4;
      }
  return to;
}
