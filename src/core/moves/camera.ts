import { z } from "zod";
import { cameraMatrix, nearestTurn } from "../camera/camera";
import { PointFit } from "../camera/fitPoints";
import type { PartTarget } from "../document/parts";
import { transformPoint } from "../math/mat4";
import { nth, tripleAt } from "../math/packed";
import { plus, type ReadonlyTriple, times } from "../math/triple";
import { CAMERA_WORDS } from "../text/channelWords";
import { AIM, aimByFrame, eachCorner, plain } from "./cameraPieces";
import { brief, moveKind, type Piece, type PieceContext, SETTINGS } from "./kind";

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
      label: CAMERA_WORDS.azimuth,
      type: "degrees",
      empty: "as it looks then",
      hint: "Degrees round the up axis: 0 is the front, 90 the right side",
    },
    { name: "elevation", label: CAMERA_WORDS.elevation, type: "degrees", empty: "as it looks then" },
    {
      name: "lens",
      label: CAMERA_WORDS.lens,
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
