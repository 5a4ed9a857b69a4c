import { z } from "zod";
import type { AssemblyIndex } from "../assembly/assembly";
import { angleOfView, cameraMatrix, nearestTurn, SENSOR_WIDTH_MM } from "../camera/camera";
import { PointFit } from "../camera/fitPoints";
import type { PartTarget } from "../document/parts";
import { transformPoint } from "../math/mat4";
import { nth, tripleAt } from "../math/packed";
import { cosDeg, quaternionFromAxis, rotateVector, sinDeg } from "../math/rotation";
import type { ReadonlyTriple, Triple } from "../math/triple";
import { plus, times } from "../math/triple";
import { brief, type Made, moveKind, type Piece, type PieceContext, type PosedParts, SETTINGS, STEADY } from "./kind";

const AIM = ["aim.x", "aim.y", "aim.z"] as const;
const plain = (c: string, move: Pick<Made, "start" | "length" | "ease">, to: number): Piece => ({
  channel: c,
  t0: move.start,
  t1: move.start + move.length,
  ease: move.ease,
  to,
});

/** Calls `take` with the corners of every part's box under nodes, as posed. */
export function eachCorner(
  index: AssemblyIndex,
  pose: PosedParts,
  nodes: readonly number[],
  take: (x: number, y: number, z: number) => void,
): void {
  for (const root of nodes) {
    for (let i = root; i < nth(index.end, root); i++) {
      const g = index.assembly.geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (!g || !pose.visible[i]) continue;
      for (let corner = 0; corner < 8; corner++) {
        const p = transformPoint(
          pose.world,
          [
            (corner & 1 ? g.bounds.max : g.bounds.min)[0],
            (corner & 2 ? g.bounds.max : g.bounds.min)[1],
            (corner & 4 ? g.bounds.max : g.bounds.min)[2],
          ],
          16 * i,
        );
        take(p[0], p[1], p[2]);
      }
    }
  }
}

/** Fits parts into the picture. */
export const cameraFit = moveKind({
  kind: "camera-fit",
  title: "Camera: fit parts",
  about: "Goes to the nearest view that has these parts whole in the picture, for the whole step if you like.",
  words: ["frame", "zoom", "close up", "look at", "view"],
  acts: "camera",
  seconds: 1.4,
  ease: { kind: "soft", start: 0.4, stop: 0.5 },
  shape: {
    /** Empty: everything. */
    parts: z.array(SETTINGS.part).max(5000),
    /** Null keeps the direction the camera has then. */
    azimuth: SETTINGS.degrees.nullable(),
    elevation: z.number().min(-90).max(90).nullable(),
    lens: z.number().min(4).max(1200).nullable(),
    margin: z.number().min(0).max(0.9),
    whole: z.boolean(),
  },
  defaults: (c) => ({
    parts: c.targets.filter((t): t is PartTarget => t.type === "node" || t.type === "group"),
    azimuth: null,
    elevation: null,
    lens: null,
    margin: 0.2,
    whole: true,
  }),
  fields: [
    {
      name: "azimuth",
      label: "From",
      type: "degrees",
      empty: "as it looks then",
      hint: "Azimuth: 0 is the front, 90 the right side",
    },
    { name: "elevation", label: "Above", type: "degrees", empty: "as it looks then" },
    {
      name: "lens",
      label: "Lens",
      type: "number",
      empty: "as it is then",
      hint: "Focal length in mm on a sensor 36 mm wide",
    },
    { name: "margin", label: "Margin", type: "share", hint: "Share of the half picture that stays free" },
    {
      name: "whole",
      label: "Whole step",
      type: "switch",
      hint: "Keeps them inside while they move, until the step ends",
    },
  ],
  readsParts: true,
  pieces: (move, c): Piece[] => {
    const s = move.settings;
    const azimuth = s.azimuth === null ? c.now("azimuth") : nearestTurn(s.azimuth, c.now("azimuth"));
    const elevation = s.elevation ?? c.now("elevation");
    const lens = s.lens ?? c.now("lens");
    const fit = new PointFit(azimuth, elevation, c.now("roll"), lens, c.aspect, c.index.assembly.up, s.margin);
    const nodes = s.parts.length > 0 ? s.parts.flatMap((p: PartTarget) => c.nodesOf(p)) : c.index.roots;
    const end = move.start + move.length;
    const last = s.whole ? Math.max(c.action, end) : end;
    for (let t = end; ; t += c.frame) {
      eachCorner(c.index, c.posed(Math.min(t, last)), nodes, (x, y, zz) => fit.add(x, y, zz));
      if (t >= last) break;
    }
    const view = fit.view();
    if (!view) return [];
    return [
      ...Object.entries(view).map(([channel, to]) => plain(channel, move, to)),
      plain("azimuth", move, azimuth),
      plain("elevation", move, elevation),
      ...(s.lens === null ? [] : [plain("lens", move, lens)]),
    ];
  },
  describe: (m) =>
    `${m.length === 0 ? "cuts to" : "fits"} ${m.settings.parts.length === 0 ? "everything" : m.settings.parts.length === 1 ? "one part" : `${m.settings.parts.length} parts`}`,
});

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
    { name: "rise", label: "Up by", type: "degrees", when: (s) => s.axis === null },
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

/** Pieces that lead the aim through places worked out for each frame; `u` is the eased share of the move. */
const aimByFrame = (move: Made, c: PieceContext, place: (u: number, t: number) => readonly number[]) =>
  byFrame(AIM, move, c, place);

/** Pieces that lead channels through values worked out for each frame. */
function byFrame(
  channels: readonly string[],
  move: Made,
  c: PieceContext,
  place: (u: number, t: number) => readonly number[],
): Piece[] {
  const frames = Math.max(1, Math.ceil(move.length / c.frame - 1e-9));
  const out: Piece[] = [];
  for (let f = 1; f <= frames; f++) {
    const t0 = move.start + (f - 1) * c.frame;
    const t1 = Math.min(move.start + move.length, move.start + f * c.frame);
    const at = place(c.eased(move.ease, (t1 - move.start) / (move.length || 1)), t1);
    for (const [k, channel] of channels.entries()) out.push({ channel, t0, t1, ease: STEADY, to: nth(at, k) });
  }
  return out;
}

/** Nearer or farther. */
export const cameraPush = moveKind({
  kind: "camera-push",
  title: "Camera: push or pull",
  about: "Goes nearer to what it looks at, or away from it.",
  words: ["zoom", "closer", "away", "near", "distance"],
  acts: "camera",
  seconds: 1.5,
  ease: { kind: "soft", start: 0.4, stop: 0.5 },
  shape: { way: z.enum(["share", "mm"]), share: z.number().min(0.01).max(100), mm: SETTINGS.mm },
  defaults: () => ({ way: "share" as const, share: 0.6, mm: 100 }),
  fields: [
    {
      name: "way",
      label: "Goes",
      type: "choice",
      choices: [
        { value: "share", label: "to a share of the distance" },
        { value: "mm", label: "by a length" },
      ],
    },
    {
      name: "share",
      label: "Share",
      type: "number",
      when: (s) => s.way === "share",
      hint: "Below 1 nearer, above 1 farther",
    },
    { name: "mm", label: "Nearer by", type: "mm", when: (s) => s.way === "mm", hint: "Negative pulls away" },
  ],
  pieces: (move, c): Piece[] => {
    const s = move.settings;
    return [
      plain(
        "distance",
        move,
        Math.max(0.5, s.way === "share" ? c.now("distance") * s.share : c.now("distance") - s.mm),
      ),
    ];
  },
  describe: (m) =>
    m.settings.way === "share"
      ? `to ${brief(m.settings.share)} of the distance`
      : `${m.settings.mm < 0 ? "pulls" : "pushes"} ${brief(Math.abs(m.settings.mm))} mm`,
});

/** Sideways, up and ahead without turning. */
export const cameraShift = moveKind({
  kind: "camera-shift",
  title: "Camera: slide or rise",
  about: "Slides sideways, rises or goes ahead, looking the same way.",
  words: ["move", "track", "crane", "lift", "sideways", "up"],
  acts: "camera",
  seconds: 1.5,
  ease: { kind: "soft", start: 0.4, stop: 0.5 },
  shape: { right: SETTINGS.mm, rise: SETTINGS.mm, ahead: SETTINGS.mm },
  defaults: () => ({ right: 0, rise: 50, ahead: 0 }),
  fields: [
    { name: "right", label: "To the right", type: "mm" },
    { name: "rise", label: "Up", type: "mm" },
    { name: "ahead", label: "Ahead", type: "mm" },
  ],
  pieces: (move, c): Piece[] => {
    const m = new Array<number>(16).fill(0);
    const { up } = c.index.assembly;
    // Rising is along the assembly's up axis, sideways and ahead on the level the camera looks along.
    cameraMatrix(m, [0, 0, 0, c.now("azimuth"), 0, 0, 0, c.now("lens")], 0, up);
    return AIM.map((channel, k) => ({
      channel,
      t0: move.start,
      t1: move.start + move.length,
      ease: move.ease,
      by: move.settings.right * nth(m, k) + move.settings.rise * nth(m, 4 + k) - move.settings.ahead * nth(m, 8 + k),
    }));
  },
  describe: (m) =>
    (["right", "rise", "ahead"] as const)
      .filter((k) => m.settings[k] !== 0)
      .map((k) => `${k} ${brief(m.settings[k])} mm`)
      .join(", ") || "stays",
});

/** Tilts the picture. */
export const cameraRoll = moveKind({
  kind: "camera-roll",
  title: "Camera: roll",
  about: "Tilts the picture about the way it looks.",
  words: ["tilt", "bank", "lean", "level"],
  acts: "camera",
  seconds: 1.2,
  shape: { degrees: SETTINGS.degrees, level: z.boolean() },
  defaults: () => ({ degrees: 10, level: false }),
  fields: [
    { name: "level", label: "Back to level", type: "switch" },
    { name: "degrees", label: "By", type: "degrees", when: (s) => s.level !== true },
  ],
  pieces: (move): Piece[] => {
    const at = { channel: "roll", t0: move.start, t1: move.start + move.length, ease: move.ease };
    return [move.settings.level ? { ...at, to: 0 } : { ...at, by: move.settings.degrees }];
  },
  describe: (m) => (m.settings.level ? "back to level" : `rolls ${brief(m.settings.degrees)}°`),
});

/** Changes the lens. */
export const cameraLens = moveKind({
  kind: "camera-lens",
  title: "Camera: lens",
  about: "Changes the focal length or angle of view; the subject may keep its size meanwhile.",
  words: ["zoom", "focal length", "angle of view", "wide", "tele"],
  acts: "camera",
  seconds: 1.5,
  shape: {
    way: z.enum(["mm", "angle"]),
    mm: z.number().min(4).max(1200),
    angle: z.number().min(1.8).max(154),
    keep: z.boolean(),
  },
  defaults: (c) => ({
    way: "mm" as const,
    mm: 85,
    angle: Math.round(10 * angleOfView(c.view.lens ?? 50)) / 10,
    keep: false,
  }),
  fields: [
    {
      name: "way",
      label: "Given as",
      type: "choice",
      choices: [
        { value: "mm", label: "focal length" },
        { value: "angle", label: "angle of view" },
      ],
    },
    {
      name: "mm",
      label: "Focal length",
      type: "number",
      when: (s) => s.way === "mm",
      hint: "mm on a sensor 36 mm wide",
    },
    {
      name: "angle",
      label: "Angle of view",
      type: "degrees",
      when: (s) => s.way === "angle",
      hint: "Across the picture's width",
    },
    {
      name: "keep",
      label: "Keep the size",
      type: "switch",
      hint: "Goes nearer or farther so that what is looked at stays as large",
    },
  ],
  pieces: (move, c): Piece[] => {
    const s = move.settings;
    const lens = s.way === "mm" ? s.mm : SENSOR_WIDTH_MM / 2 / Math.tan((s.angle * Math.PI) / 360);
    return [
      plain("lens", move, lens),
      ...(s.keep ? [plain("distance", move, (c.now("distance") * lens) / (c.now("lens") || lens))] : []),
    ];
  },
  describe: (m) =>
    m.settings.way === "mm" ? `lens ${brief(m.settings.mm)} mm` : `angle of view ${brief(m.settings.angle)}°`,
});

/** Keeps a part where it is in the picture while it moves. */
export const cameraFollow = moveKind({
  kind: "camera-follow",
  accompanies: true,
  title: "Camera: follow a part",
  about: "Goes along with a part while it moves, so that it keeps its place in the picture.",
  words: ["track", "chase", "with", "stay on"],
  acts: "camera",
  seconds: 3,
  shape: { part: SETTINGS.part.nullable(), share: SETTINGS.share },
  defaults: (c) => ({
    part: (c.targets.find((t) => t.type === "node" || t.type === "group") as PartTarget | undefined) ?? null,
    share: 1,
  }),
  fields: [
    { name: "part", label: "Part", type: "part" },
    { name: "share", label: "How closely", type: "share", hint: "1 goes all the way along, 0.5 half of it" },
  ],
  readsParts: true,
  pieces: (move, c): Piece[] => {
    const { part, share } = move.settings;
    const node = part ? c.nodesOf(part)[0] : undefined;
    if (node === undefined) return [];
    const b = c.index.worldBounds;
    const middle = times(plus(tripleAt(b, 6 * node), tripleAt(b, 6 * node + 3)), 0.5);
    const placeAt = (t: number) => carried(c, node, middle, t);
    const first = placeAt(move.start);
    const aim = AIM.map((a) => c.now(a));
    return aimByFrame(move, c, (_, t) => {
      const now = placeAt(t);
      return aim.map((v, k) => v + share * (nth(now, k) - nth(first, k)));
    });
  },
  describe: (m) =>
    `follows ${m.settings.part ? "a part" : "nothing yet"}${m.settings.share < 1 ? ` by ${brief(m.settings.share)}` : ""}`,
});

/** Where a point of the assembly at home is when carried along by a node. */
function carried(c: PieceContext, node: number, point: ReadonlyTriple, t: number): number[] {
  const { world } = c.posed(t);
  const back = c.homeInverse(node);
  return transformPoint(world, transformPoint(back, point), 16 * node);
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

/** Another camera takes over. */
export const cameraCut = moveKind({
  kind: "camera-cut",
  title: "Cut to a camera",
  about: "From here on the picture is seen through another camera.",
  words: ["switch", "live", "change camera", "edit"],
  acts: "picture",
  seconds: 0,
  shape: { camera: SETTINGS.id },
  defaults: (c) => ({ camera: c.camera }),
  fields: [{ name: "camera", label: "Camera", type: "camera" }],
  pieces: (move, c): Piece[] => [
    { channel: "live", t0: move.start, t1: move.start, ease: move.ease, to: c.cameraNumber(move.settings.camera) },
  ],
  describe: () => "cuts to another camera",
});
