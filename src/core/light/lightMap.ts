import type { Triple } from "../math/triple";
import { addSeen, blackCube, type CubePicture, halved, oppositeTexels, texelsOf, towards } from "./cube";
import type { LightRig } from "./rigs";
import { addLight, panelSeen, type Room, roomOf } from "./room";

/** Edge of the sharpest level's faces in texels. */
export const LIGHT_MAP_SIZE = 64;
/** Edge of the roughest level's faces: enough for what a matt surface gathers. */
const ROUGHEST = 8;
/** How soft the edges of the panels are: standard deviation in texels of the sharpest level, and how far it is taken. */
const SOFT = 1.2;
const REACH = 4;
/** Directions of a lobe that is too narrow to be summed over a coarse picture, and which share of it they are. */
const LOBE_SAMPLES = 32;
const MIDDLE = 0.9;
/** Edge of the picture of the rest of the lobe. */
const TAIL_SIZE = 16;
/** Lobes from this roughness on are summed over all of a picture of this size. */
const WIDE = 0.3;
const WIDE_SIZE = 16;

/**
 * What a surface of a roughness mirrors of a room, for each direction it mirrors: level 0 is a mirror, the last is
 * matt. Every level has faces half as large as the one before.
 */
export type LightMap = readonly CubePicture[];

/** Edges of the levels' faces in texels, from the sharpest to the roughest. */
export function levelSizes(): number[] {
  const sizes: number[] = [];
  for (let size = LIGHT_MAP_SIZE; size >= ROUGHEST; size /= 2) sizes.push(size);
  return sizes;
}

/** Roughness 0..1 that a level is made for: what three.js reads the levels by (its `PMREMGenerator.lodToRoughness`). */
export function roughnessOf(level: number, last: number): number {
  return last > 0 ? 1 - Math.sqrt(1 - level / last) : 0;
}

/**
 * The map of light of a set-up, worked out without a graphics card: the same on every machine, and nothing has to be
 * compiled first. Each level gathers the room with the lobe of its roughness as if seen along the normal, weighted by
 * the cosine (GGX: Walter et al., "Microfacet models for refraction through rough surfaces", 2007). Narrow lobes are
 * sampled (Hammersley points), wide ones summed whole. Left and right are changed round, as three.js reads a cube.
 */
export function lightMap(rig: Pick<LightRig, "shell" | "panels">): LightMap {
  const levels: CubePicture[] = [softened(roomOf(rig))];
  const [sharp] = levels as [CubePicture];
  const last = Math.log2(LIGHT_MAP_SIZE / ROUGHEST);
  const mips = [sharp];
  for (let mip = sharp; mip.size > ROUGHEST; mips.push(mip)) mip = halved(mip);
  const coarse = mips[Math.log2(LIGHT_MAP_SIZE / WIDE_SIZE)] as CubePicture;
  const coarsest = mips.at(-1) as CubePicture;
  for (let level = 1; level <= last; level++) {
    const roughness = roughnessOf(level, last);
    const size = LIGHT_MAP_SIZE >> level;
    levels.push(
      roughness < WIDE
        ? sampled(mips, size, roughness ** 2)
        : summed(roughness < 1 ? coarse : coarsest, size, roughness ** 2),
    );
  }
  return levels;
}

/** A way to look from a texel: how far to two sides and ahead (length 1), and how much it counts. */
type Way = readonly [across: number, along: number, ahead: number, weight: number];

/** The room in all directions, its edges softened: each face is looked at with a rim round it and blurred. */
function softened(room: Room): CubePicture {
  const size = LIGHT_MAP_SIZE;
  const wide = size + 2 * REACH;
  const out = blackCube(size);
  const kernel = Float64Array.from({ length: 2 * REACH + 1 }, (_, i) =>
    Math.exp(-((i - REACH) ** 2) / (2 * SOFT * SOFT)),
  );
  const all = kernel.reduce((sum, v) => sum + v);
  const seen = new Float64Array(3 * wide * wide);
  const across = new Float64Array(3 * wide * size);
  const d: Triple = [0, 0, 0];
  const sum = new Float64Array(3);
  for (let face = 0; face < 6; face++) {
    for (let row = 0, at = 0; row < wide; row++)
      for (let column = 0; column < wide; column++, at += 3) {
        towards(face, (2 * (column - REACH) + 1) / size - 1, (2 * (row - REACH) + 1) / size - 1, d);
        sum.fill(0);
        addLight(room, panelSeen(room, -d[0], d[1], d[2]), 1, sum);
        seen.set(sum, at);
      }
    blur(seen, across, kernel, { rows: wide, columns: size, from: 3 * wide, to: 3 * size, step: 3, scale: 1 / all });
    const rows = out.data.subarray(3 * face * size * size, 3 * (face + 1) * size * size);
    blur(across, rows, kernel, {
      rows: size,
      columns: size,
      from: 3 * size,
      to: 3 * size,
      step: 3 * size,
      scale: 1 / all,
    });
  }
  return out;
}

/** Blurs rows (`step` 3) or columns (`step` a row) of red, green and blue; `from` and `to` are the lengths of a row. */
function blur(
  source: Float64Array,
  into: Float64Array | Float32Array,
  kernel: Float64Array,
  o: { rows: number; columns: number; from: number; to: number; step: number; scale: number },
): void {
  for (let row = 0; row < o.rows; row++)
    for (let i = 0; i < 3 * o.columns; i++) {
      let sum = 0;
      for (let k = 0, at = row * o.from + i; k < kernel.length; k++, at += o.step)
        sum += (kernel[k] as number) * (source[at] as number);
      into[row * o.to + i] = sum * o.scale;
    }
}

/**
 * A level for a narrow lobe: `alpha` is the roughness squared, `mips` the room from sharp to coarse. The middle of the
 * lobe is sampled, each way in a picture as coarse as what it stands for; its long thin tail would show single bright
 * panels many times over, so it is summed over a coarse picture.
 */
function sampled(mips: readonly CubePicture[], size: number, alpha: number): CubePicture {
  const a2 = alpha * alpha;
  /** Cosine between the normal and where a share of the lobe has been passed, for a viewer along the normal. */
  const cosineAt = (share: number) => (1 - share - a2 * share) / (1 - share + a2 * share);
  const lobe: { way: Way; seen: CubePicture }[] = [];
  let middle = 0;
  for (let i = 0; i < LOBE_SAMPLES; i++) {
    const share = (MIDDLE * (i + 0.5)) / LOBE_SAMPLES;
    const cosine = cosineAt(share);
    // How many ways a steradian gets there: a quarter of the distribution of half vectors.
    const density = (LOBE_SAMPLES / MIDDLE) * ((1 - share + a2 * share) ** 2 / (4 * Math.PI * a2));
    const texel = (4 * Math.PI) / (6 * LIGHT_MAP_SIZE ** 2);
    const mip = Math.min(mips.length - 1, Math.max(0, Math.round(0.5 - Math.log2(density * texel) / 2)));
    const turn = 2 * Math.PI * reversedBits(i);
    const side = Math.sqrt(1 - cosine * cosine);
    const way: Way = [side * Math.cos(turn), side * Math.sin(turn), cosine, cosine];
    lobe.push({ way, seen: mips[mip] as CubePicture });
    middle += (cosine * MIDDLE) / LOBE_SAMPLES;
  }
  let rest = 0;
  for (let i = 0; i < 100; i++)
    rest += ((1 - MIDDLE) / 100) * Math.max(0, cosineAt(MIDDLE + ((1 - MIDDLE) * (i + 0.5)) / 100));
  const all = middle + rest;
  const tail = summed(mips.at(-1) as CubePicture, TAIL_SIZE, alpha, cosineAt(MIDDLE));
  return gathered(size, (texel, sum) => {
    for (const { way, seen } of lobe) {
      const [p, q, r] = texel.look(way);
      addSeen(seen, p, q, r, (way[3] * MIDDLE) / LOBE_SAMPLES / all, sum);
    }
    const [x, y, z] = texel.ahead;
    addSeen(tail, x, y, z, rest / all, sum);
  });
}

/** A place on a cube from which to look round: its own direction, and ways beside it (one array, used again). */
class Texel {
  readonly ahead: Triple = [0, 0, 1];
  private readonly across: Triple = [1, 0, 0];
  private readonly along: Triple = [0, 1, 0];
  private readonly out: Triple = [0, 0, 0];

  /** Turns to a direction of length 1; the sides follow without a place where they fail: Duff et al., "Building an
   * orthonormal basis, revisited", 2017. */
  face(x: number, y: number, z: number): void {
    const sign = z < 0 ? -1 : 1;
    const a = -1 / (sign + z);
    const b = x * y * a;
    set(this.ahead, x, y, z);
    set(this.across, 1 + sign * x * x * a, sign * b, -sign * x);
    set(this.along, b, sign + y * y * a, -y);
  }

  look(w: Way): Readonly<Triple> {
    const { ahead, across, along, out } = this;
    for (let k = 0; k < 3; k++)
      out[k] = (across[k] as number) * w[0] + (along[k] as number) * w[1] + (ahead[k] as number) * w[2];
    return out;
  }
}

function set(to: Triple, x: number, y: number, z: number): void {
  to[0] = x;
  to[1] = y;
  to[2] = z;
}

/** A picture of what comes to each texel. */
function gathered(size: number, add: (texel: Texel, sum: Float64Array) => void): CubePicture {
  const out = blackCube(size);
  const texels = texelsOf(size);
  const texel = new Texel();
  const sum = new Float64Array(3);
  for (let o = 0, at = 0; o < texels.length; o += 4, at += 3) {
    texel.face(texels[o] as number, texels[o + 1] as number, texels[o + 2] as number);
    sum.fill(0);
    add(texel, sum);
    out.data.set(sum, at);
  }
  return out;
}

/**
 * A level for a wide lobe: every texel of a picture counts by how the surface mirrors it and how large it is. Only what
 * lies beyond a cosine to the normal is taken.
 */
function summed(from: CubePicture, size: number, alpha: number, beyond = 2): CubePicture {
  const a2 = alpha * alpha;
  const out = blackCube(size);
  const { data } = from;
  const sources = texelsOf(from.size);
  const opposite = oppositeTexels(from.size);
  const texels = texelsOf(size);
  for (let o = 0, at = 0; o < texels.length; o += 4, at += 3) {
    const x = texels[o] as number;
    const y = texels[o + 1] as number;
    const z = texels[o + 2] as number;
    let red = 0;
    let green = 0;
    let blue = 0;
    let all = 0;
    // Of two that lie opposite each other just one is before the surface.
    for (let p = 0; p < opposite.length; p += 2) {
      const s = 4 * (opposite[p] as number);
      const signed = x * (sources[s] as number) + y * (sources[s + 1] as number) + z * (sources[s + 2] as number);
      const cosine = Math.abs(signed);
      if (cosine > beyond) continue;
      const i = 3 * (opposite[signed < 0 ? p + 1 : p] as number);
      const d = 1 + a2 + (a2 - 1) * cosine;
      const weight = (cosine * (sources[s + 3] as number)) / (d * d);
      red += weight * (data[i] as number);
      green += weight * (data[i + 1] as number);
      blue += weight * (data[i + 2] as number);
      all += weight;
    }
    out.data[at] = red / all;
    out.data[at + 1] = green / all;
    out.data[at + 2] = blue / all;
  }
  return out;
}

/** A whole number below 2^32 read backwards, bit by bit, as a share of 1 (van der Corput). */
function reversedBits(n: number): number {
  let share = 0;
  for (let rest = n, half = 0.5; rest > 0; rest >>>= 1, half /= 2) if (rest & 1) share += half;
  return share;
}
