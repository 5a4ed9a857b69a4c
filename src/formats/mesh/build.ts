import { featureEdges } from "../../core/geometry/featureEdges";
import { boundsOf, FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { ImportError } from "../importError";

/** Triangles of one colour, as a reader finds them. */
export interface MeshPiece {
  /** xyz of each corner, three corners a triangle (mm). */
  corners: Float32Array | Float64Array;
  /** sRGB 0xRRGGBB, or -1 for none. */
  packed: number;
}

/** What was left out of a mesh, for the report. */
export interface MeshFaults {
  degenerate: number;
  /** Edges that border on one triangle only. */
  open?: number;
}

/** Neighbouring triangles share a normal where they meet at less than this. */
const CREASE_DEG = 35;

/**
 * Makes a geometry of loose triangles: corners at the same place become one, triangles without area are left out and
 * counted, normals are smooth up to a crease angle, feature edges follow the creases.
 * @returns null when no triangle is left. @throws ImportError when a coordinate is not a number.
 */
export function buildMesh(id: string, pieces: readonly MeshPiece[], kind: string, faults: MeshFaults): Geometry | null {
  const kept = pieces
    .map((p) => ({ packed: p.packed, corners: sound(p.corners, kind, faults) }))
    .filter((p) => p.corners.length > 0);
  if (kept.length === 0) return null;
  const total = kept.reduce((n, p) => n + p.corners.length / 3, 0);
  const all = new Float64Array(total * 3);
  let at = 0;
  for (const p of kept) {
    all.set(p.corners, at);
    at += p.corners.length;
  }
  const weld = weldCorners(all);
  faults.open = (faults.open ?? 0) + openEdges(weld.place);
  const facet = facets(all);
  const owner = new Uint32Array(total / 3);
  let t = 0;
  kept.forEach((p, i) => {
    owner.fill(i, t, t + p.corners.length / 9);
    t += p.corners.length / 9;
  });
  const { positions, normals, indices } = smooth(all, weld, facet, owner);
  const faces = new Float64Array(kept.length * FACE_STRIDE);
  let first = 0;
  kept.forEach((p, f) => {
    const count = p.corners.length / 9;
    faces.set(
      [first, count, SURFACE_KINDS.indexOf("mesh"), 0, 0, 0, 0, 0, 1, 0, 0, kept.length > 1 ? p.packed : -1],
      f * FACE_STRIDE,
    );
    first += count;
  });
  return {
    id,
    positions,
    normals,
    indices,
    faces,
    edges: featureEdges(positions, normals, indices, faces, { smoothDeg: CREASE_DEG }),
    bounds: boundsOf(positions),
  };
}

/** Corners of the triangles that have area. */
function sound(corners: Float32Array | Float64Array, kind: string, faults: MeshFaults): Float64Array {
  for (let i = 0; i < corners.length; i++) {
    if (!Number.isFinite(corners[i]) || Math.abs(nth(corners, i)) > 1e9) {
      throw new ImportError(
        "unreadable",
        `The ${kind} file holds a coordinate that is not a usable number (triangle ${Math.floor(i / 9) + 1}). Repair the mesh or export it again.`,
      );
    }
  }
  const out = new Float64Array(corners.length);
  let n = 0;
  for (let i = 0; i + 9 <= corners.length; i += 9) {
    const c = (k: number) => nth(corners, i + k);
    const ux = c(3) - c(0);
    const uy = c(4) - c(1);
    const uz = c(5) - c(2);
    const vx = c(6) - c(0);
    const vy = c(7) - c(1);
    const vz = c(8) - c(2);
    const area = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
    const longest = Math.max(Math.hypot(ux, uy, uz), Math.hypot(vx, vy, vz), Math.hypot(vx - ux, vy - uy, vz - uz));
    // Needles included: what is thinner than a ten-millionth of its length cannot be seen and spoils normals.
    if (!(area > 1e-7 * longest * longest)) {
      faults.degenerate++;
      continue;
    }
    for (let k = 0; k < 9; k++) out[n++] = c(k);
  }
  return out.subarray(0, n);
}

/** For each corner the number of its place; corners within a millionth of the box share one. */
function weldCorners(p: Float64Array): { place: Uint32Array; places: number } {
  const b = boundsOf(p);
  const size = Math.hypot(...b.max.map((v, k) => v - nth(b.min, k))) || 1;
  const grid = 2e6 / size;
  const count = p.length / 3;
  let capacity = 1;
  while (capacity < 2 * count + 2) capacity *= 2;
  const slots = new Int32Array(capacity).fill(-1);
  const place = new Uint32Array(count);
  const keyX = new Float64Array(count);
  const keyY = new Float64Array(count);
  const keyZ = new Float64Array(count);
  let places = 0;
  for (let i = 0; i < count; i++) {
    const x = Math.round((nth(p, 3 * i) - b.min[0]) * grid);
    const y = Math.round((nth(p, 3 * i + 1) - b.min[1]) * grid);
    const z = Math.round((nth(p, 3 * i + 2) - b.min[2]) * grid);
    let slot = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (capacity - 1);
    for (;;) {
      const known = nth(slots, slot);
      if (known < 0) {
        slots[slot] = places;
        keyX[places] = x;
        keyY[places] = y;
        keyZ[places] = z;
        place[i] = places++;
        break;
      }
      if (keyX[known] === x && keyY[known] === y && keyZ[known] === z) {
        place[i] = known;
        break;
      }
      slot = (slot + 1) & (capacity - 1);
    }
  }
  return { place, places };
}

/** Open edges of a body: it has a hole, or is a sheet; which of them was meant only the user knows. */
function openEdges(place: Uint32Array): number {
  const seen = new Map<number, number>();
  const span = place.reduce((m, p) => Math.max(m, p), 0) + 1;
  for (let i = 0; i < place.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const a = nth(place, i + k);
      const b = nth(place, i + ((k + 1) % 3));
      const key = Math.min(a, b) * span + Math.max(a, b);
      seen.set(key, (seen.get(key) ?? 0) + 1);
    }
  let open = 0;
  for (const n of seen.values()) if (n === 1) open++;
  return open;
}

/** Normals of the triangles, length twice the area. */
function facets(p: Float64Array): Float64Array {
  const out = new Float64Array(p.length / 3);
  for (let t = 0; t < out.length / 3; t++) {
    const c = (k: number) => nth(p, 9 * t + k);
    const ux = c(3) - c(0);
    const uy = c(4) - c(1);
    const uz = c(5) - c(2);
    const vx = c(6) - c(0);
    const vy = c(7) - c(1);
    const vz = c(8) - c(2);
    out[3 * t] = uy * vz - uz * vy;
    out[3 * t + 1] = uz * vx - ux * vz;
    out[3 * t + 2] = ux * vy - uy * vx;
  }
  return out;
}

/**
 * Splits places where the surface creases or changes its colour: corners whose triangles lie nearly alike share a
 * vertex and its normal.
 */
function smooth(
  p: Float64Array,
  { place, places }: { place: Uint32Array; places: number },
  facet: Float64Array,
  owner: Uint32Array,
): { positions: Float32Array; normals: Float32Array; indices: Uint32Array } {
  const count = p.length / 3;
  const start = new Uint32Array(places + 1);
  for (let i = 0; i < count; i++) start[nth(place, i) + 1] = nth(start, nth(place, i) + 1) + 1;
  for (let i = 0; i < places; i++) start[i + 1] = nth(start, i + 1) + nth(start, i);
  const fill = start.slice(0, places);
  const corners = new Uint32Array(count);
  for (let i = 0; i < count; i++) {
    const at = nth(place, i);
    corners[nth(fill, at)] = i;
    fill[at] = nth(fill, at) + 1;
  }
  const limit = Math.cos((CREASE_DEG * Math.PI) / 180);
  const indices = new Uint32Array(count);
  const positions: number[] = [];
  const normals: number[] = [];
  for (let at = 0; at < places; at++) {
    const own: {
      x: number;
      y: number;
      z: number;
      vertex: number;
      ux: number;
      uy: number;
      uz: number;
      piece: number;
    }[] = [];
    for (let k = nth(start, at); k < nth(start, at + 1); k++) {
      const corner = nth(corners, k);
      const t = Math.floor(corner / 3);
      const x = nth(facet, 3 * t);
      const y = nth(facet, 3 * t + 1);
      const z = nth(facet, 3 * t + 2);
      const n = Math.hypot(x, y, z) || 1;
      let fan = own.find((f) => f.piece === owner[t] && (f.ux * x + f.uy * y + f.uz * z) / n >= limit);
      if (!fan) {
        fan = { x: 0, y: 0, z: 0, vertex: positions.length / 3, ux: x / n, uy: y / n, uz: z / n, piece: nth(owner, t) };
        own.push(fan);
        positions.push(nth(p, 3 * corner), nth(p, 3 * corner + 1), nth(p, 3 * corner + 2));
        normals.push(0, 0, 0);
      }
      fan.x += x;
      fan.y += y;
      fan.z += z;
      indices[corner] = fan.vertex;
    }
    for (const f of own) {
      const n = Math.hypot(f.x, f.y, f.z) || 1;
      normals[3 * f.vertex] = f.x / n;
      normals[3 * f.vertex + 1] = f.y / n;
      normals[3 * f.vertex + 2] = f.z / n;
    }
  }
  return { positions: Float32Array.from(positions), normals: Float32Array.from(normals), indices };
}

/** Says what was left out, if anything. */
export function faultWarnings(faults: MeshFaults): string[] {
  const out: string[] = [];
  if (faults.degenerate > 0)
    out.push(
      `${faults.degenerate} triangle${faults.degenerate === 1 ? " has" : "s have"} no area and ${faults.degenerate === 1 ? "was" : "were"} left out.`,
    );
  if (faults.open)
    out.push(
      `The surface is not closed: ${faults.open} edges border on one triangle only. If it was meant to be, compare the file with the original.`,
    );
  return out;
}
