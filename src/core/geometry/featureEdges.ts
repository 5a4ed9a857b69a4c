import { nth } from "../math/packed";
import { FACE_STRIDE } from "./geometry";

export interface FeatureEdgeOptions {
  /**
   * Borders between faces whose normals differ by less than this many degrees are left out (tangent joins). Default
   * 12.
   */
  smoothDeg?: number;
  /** Points closer than this share of the box diagonal count as one. Default 1e-6. */
  weld?: number;
}

/**
 * Feature edges of a tessellated solid, from the borders of its faces.
 *
 * Every face is triangulated with its own vertices, so a triangle side used once within its face lies on a border.
 * Borders are matched across faces by position. Left out: seams (both sides in one face) and tangent joins (the
 * normals of both faces agree there). What remains is what a draughtsman would ink. For meshes without faces give one
 * face; sharp creases inside it are found by the angle between triangles instead.
 *
 * @returns segments as xyz xyz in the frame of `positions`.
 */
export function featureEdges(
  positions: Float32Array,
  normals: Float32Array,
  indices: Uint32Array,
  faces: Float64Array,
  options: FeatureEdgeOptions = {},
): Float32Array {
  const cosSmooth = Math.cos(((options.smoothDeg ?? 12) * Math.PI) / 180);
  const ids = weldVertices(positions, options.weld ?? 1e-6);
  const count = positions.length / 3;
  const faceCount = faces.length / FACE_STRIDE;

  // Open-addressed table of sides: key lo*count+hi -> slot. Much lighter than a Map of strings.
  const sides = indices.length;
  let size = 1;
  while (size < sides * 2 + 2) size *= 2;
  const keys = new Float64Array(size).fill(-1);
  const firstFace = new Int32Array(size);
  const firstA = new Int32Array(size);
  const firstB = new Int32Array(size);
  const uses = new Uint8Array(size);
  const keep = new Uint8Array(size);

  const same = (a: number, b: number) =>
    nth(normals, 3 * a) * nth(normals, 3 * b) +
      nth(normals, 3 * a + 1) * nth(normals, 3 * b + 1) +
      nth(normals, 3 * a + 2) * nth(normals, 3 * b + 2) >=
    cosSmooth;

  for (let f = 0; f < faceCount; f++) {
    const first = nth(faces, f * FACE_STRIDE) * 3;
    const last = first + nth(faces, f * FACE_STRIDE + 1) * 3;
    for (let i = first; i < last; i++) {
      const a = nth(indices, i);
      const b = nth(indices, i % 3 === 2 ? i - 2 : i + 1);
      const ia = nth(ids, a);
      const ib = nth(ids, b);
      if (ia === ib) continue;
      const key = ia < ib ? ia * count + ib : ib * count + ia;
      let slot = (Math.imul(ia ^ ib, 0x9e3779b1) ^ Math.imul(ia + ib, 0x85ebca6b)) & (size - 1);
      while (keys[slot] !== -1 && keys[slot] !== key) slot = (slot + 1) & (size - 1);
      if (keys[slot] === -1) {
        keys[slot] = key;
        firstFace[slot] = f;
        firstA[slot] = ia < ib ? a : b;
        firstB[slot] = ia < ib ? b : a;
        uses[slot] = 1;
        keep[slot] = 1;
        continue;
      }
      const a0 = nth(firstA, slot);
      const b0 = nth(firstB, slot);
      const a1 = ia < ib ? a : b;
      const b1 = ia < ib ? b : a;
      // A second use drops the side when it is smooth across: inside a face (shared or agreeing normals), a seam of
      // one face, or a tangent join of two. A sharp one stays.
      if ((a0 === a1 && b0 === b1) || (same(a0, a1) && same(b0, b1))) keep[slot] = 0;
      uses[slot] = Math.min(255, nth(uses, slot) + 1);
    }
  }

  let total = 0;
  for (let s = 0; s < size; s++) total += nth(keep, s);
  const out = new Float32Array(total * 6);
  let o = 0;
  for (let s = 0; s < size; s++) {
    if (!keep[s]) continue;
    for (const v of [nth(firstA, s), nth(firstB, s)]) {
      out[o++] = nth(positions, 3 * v);
      out[o++] = nth(positions, 3 * v + 1);
      out[o++] = nth(positions, 3 * v + 2);
    }
  }
  return out;
}

/** Gives every vertex the index of the first vertex at (nearly) the same place. */
export function weldVertices(positions: Float32Array, weld: number): Int32Array {
  const count = positions.length / 3;
  let extent = 0;
  for (let i = 0; i < positions.length; i++) extent = Math.max(extent, Math.abs(nth(positions, i)));
  const inv = 1 / Math.max(extent * weld, 1e-9);
  let size = 1;
  while (size < count * 2 + 2) size *= 2;
  const table = new Int32Array(size).fill(-1);
  const ids = new Int32Array(count);
  for (let i = 0; i < count; i++) {
    const x = Math.round(nth(positions, 3 * i) * inv);
    const y = Math.round(nth(positions, 3 * i + 1) * inv);
    const z = Math.round(nth(positions, 3 * i + 2) * inv);
    let slot = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (size - 1);
    for (;;) {
      const j = nth(table, slot);
      if (j < 0) {
        table[slot] = i;
        ids[i] = i;
        break;
      }
      if (
        Math.round(nth(positions, 3 * j) * inv) === x &&
        Math.round(nth(positions, 3 * j + 1) * inv) === y &&
        Math.round(nth(positions, 3 * j + 2) * inv) === z
      ) {
        ids[i] = j;
        break;
      }
      slot = (slot + 1) & (size - 1);
    }
  }
  return ids;
}
