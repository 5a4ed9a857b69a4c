import { z } from "zod";
import { cameraMatrix, nearestTurn } from "../camera/camera";
import { nth } from "../math/packed";
import { cosDeg, quaternionFromAxis, rotateVector, sinDeg } from "../math/rotation";
import type { ReadonlyTriple, Triple } from "../math/triple";
import { AIM, aimByFrame, byFrame, plain } from "./cameraPieces";
import { brief, type Made, moveKind, type Piece, type PieceContext, SETTINGS, STEADY } from "./kind";

/** Swings round what it looks at, or round a point. */
export const cameraOrbit = moveKind({
  kind: "camera-orbit",
  title: "Camera: orbit",
  about: "Swings round by exact degrees, to the right where positive, and may rise on the way.",
  words: ["rotate", "circle", "swing", "around", "arc"],
  acts: "camera",
  seconds: 3,
  ease: { kind: "soft", start: 0.35, stop: 0.4 },
  shape: {
    degrees: SETTINGS.degrees,
    rise: SETTINGS.degrees,
    about: SETTINGS.point.nullable(),
    /** Null: the up axis. About any other the horizon tilts along. */
    axis: SETTINGS.direction.nullable().default(null),
  },
  defaults: () => ({ degrees: 90, rise: 0, about: null, axis: null }),
  fields: [
    { name: "degrees", label: "Round by", type: "degrees", hint: "To the right; negative to the left" },
    { name: "rise", label: "Above by", type: "degrees", when: (s) => s.axis === null },
    { name: "about", label: "About", type: "point", empty: "what it looks at" },
    { name: "axis", label: "Axis", type: "direction", empty: "straight up" },
  ],
  pieces: (move, c): Piece[] => {
    const { degrees, rise, about, axis } = move.settings;
    if (axis) return aboutAxis(move, c, degrees, about, axis);
    const t1 = move.start + move.length;
    const up = Math.max(-90, Math.min(90, c.now("elevation") + rise));
    const round = [
      { channel: "azimuth", t0: move.start, t1, ease: move.ease, by: degrees },
      ...(rise === 0 ? [] : [plain("elevation", move, up)]),
    ];
    if (!about) return round;
    // The aim goes round the point on an arc about the up axis: by frame, at the very angle of each.
    const aim = AIM.map((a) => c.now(a));
    return [...round, ...aimByFrame(move, c, (u) => turnedAbout(aim, about, degrees * u, c.index.assembly.up))];
  },
  describe: (m) =>
    `orbits ${brief(m.settings.degrees)}°${m.settings.rise ? `, ${m.settings.rise > 0 ? "rises" : "sinks"} ${brief(Math.abs(m.settings.rise))}°` : ""}`,
});

const TURNED = [...AIM, "azimuth", "elevation", "roll"] as const;

/** The whole camera turned about an axis through a point (or what it looks at), by frame, at the very angle of each. */
function aboutAxis(
  move: Made,
  c: PieceContext,
  degrees: number,
  about: ReadonlyTriple | null,
  axis: ReadonlyTriple,
): Piece[] {
  const { up } = c.index.assembly;
  const start = [...TURNED.map((n) => c.now(n))];
  const m = new Array<number>(16).fill(0);
  const [azimuth, elevation, roll] = start.slice(3) as Triple;
  cameraMatrix(m, [...start.slice(0, 3), azimuth, elevation, c.now("distance"), roll, c.now("lens")], 0, up);
  const through = about ?? start.slice(0, 3);
  let before = { azimuth, roll };
  return byFrame(TURNED, move, c, (u) => {
    const q = quaternionFromAxis(axis, degrees * u);
    const aim = rotateVector(
      q,
      [0, 1, 2].map((k) => nth(start, k) - nth(through, k)),
    ).map((v, k) => v + nth(through, k));
    const [right, back] = [0, 8].map((o) => level(rotateVector(q, m.slice(o, o + 3)), up)) as [number[], number[]];
    const angles = anglesOf(right, back, before);
    before = angles;
    return [...aim, angles.azimuth, angles.elevation, angles.roll];
  });
}

/** A direction of the assembly's frame in one with Z up. */
const level = (d: readonly number[], up: "y" | "z"): number[] =>
  up === "z" ? [...d] : [nth(d, 0), -nth(d, 2), nth(d, 1)];

/** Azimuth, elevation and roll of a camera by its right and back in a frame with Z up, going on from those before. */
function anglesOf(
  right: readonly number[],
  back: readonly number[],
  before: { azimuth: number; roll: number },
): { azimuth: number; elevation: number; roll: number } {
  const deg = 180 / Math.PI;
  const [bx, by, bz] = back as Triple;
  const flat = Math.hypot(bx, by);
  const azimuth = flat < 1e-9 ? before.azimuth : nearestTurn(Math.atan2(bx, -by) * deg, before.azimuth);
  const [ca, sa] = [cosDeg(azimuth), sinDeg(azimuth)];
  // Where right and up would point without a roll.
  const over = [-bz * sa, bz * ca, bx * sa - by * ca];
  const roll = Math.atan2(
    right.reduce((sum, v, k) => sum + v * nth(over, k), 0),
    nth(right, 0) * ca + nth(right, 1) * sa,
  );
  return { azimuth, elevation: Math.atan2(bz, flat) * deg, roll: nearestTurn(roll * deg, before.roll) };
}

/** A point turned about the up axis through another, to the right as the camera orbits. */
function turnedAbout(p: readonly number[], about: ReadonlyTriple, deg: number, up: "y" | "z"): number[] {
  const s = sinDeg(deg);
  const co = cosDeg(deg);
  const [i, j] = up === "z" ? [0, 1] : [2, 0];
  const out = [...p];
  const a = nth(p, i) - nth(about, i);
  const b = nth(p, j) - nth(about, j);
  out[i] = nth(about, i) + co * a - s * b;
  out[j] = nth(about, j) + s * a + co * b;
  return out;
}

/** Whole turns at steady speed; a loop closes without showing a frame twice. */
export const turntable = moveKind({
  kind: "turntable",
  title: "Camera: turntable",
  about: "Whole turns round what it looks at, at steady speed, so that the picture can loop.",
  words: ["loop", "spin", "360", "rotate", "carousel"],
  acts: "camera",
  seconds: 6,
  ease: STEADY,
  shape: {
    turns: z
      .int()
      .refine((v) => v !== 0, "At least one turn, or -1 the other way round.")
      .min(-100)
      .max(100),
  },
  defaults: () => ({ turns: 1 }),
  fields: [
    {
      name: "turns",
      label: "Turns",
      type: "count",
      hint: "Negative goes to the left. For a closed loop the step has no stills and the last frame is the one before the first.",
    },
  ],
  pieces: (move): Piece[] => [
    {
      channel: "azimuth",
      t0: move.start,
      t1: move.start + move.length,
      ease: move.ease,
      by: 360 * move.settings.turns,
    },
  ],
  describe: (m) => `${Math.abs(m.settings.turns)} ${Math.abs(m.settings.turns) === 1 ? "turn" : "turns"} round`,
});
