import { z } from "zod";
import type { Joint, Preparation } from "../document/preparation";
import { hasPitch, turns } from "../kinematics/jointKinds";
import { Refusal } from "../text/refusal";
import { brief, type Made, moveKind, type Piece, type PieceContext, SETTINGS } from "./kind";

/** What a turn is about: "turn.<axis>" of the part, or the joint each target has for it ("joint"). */
export const ABOUT = {
  axis: z.string().regex(/^(joint|turn\.[a-z][a-z0-9-]{0,30})$/),
  /** Joints that may be meant; each target uses the one that is its own. */
  joints: z.array(SETTINGS.id).max(5000),
};
export const ABOUT_FIELD = { name: "axis", label: "About", type: "joint" as const };

/** The channel that a move's axis means on the target at hand; null where it has none. */
export function turningChannel(settings: { axis: string; joints: readonly string[] }, c: PieceContext): string | null {
  if (settings.axis !== "joint") return settings.axis;
  const joint = c.tracks?.joints.find((j) => settings.joints.includes(j.joint.id));
  return joint ? `joint.${joint.joint.id}` : null;
}

/** "the lid opening", "Z". */
export function aboutWhat(settings: { axis: string; joints: readonly string[] }, preparation: Preparation): string {
  if (settings.axis !== "joint") return settings.axis.slice(5).toUpperCase();
  return settings.joints.length === 1
    ? (preparation.joints[settings.joints[0] as string]?.name ?? "a joint that is gone")
    : "their own axes";
}

/** Parts turn by degrees. */
export const turn = moveKind({
  kind: "turn",
  title: "Turn",
  about: "Parts turn by degrees about an axis, or back to where they belong.",
  words: ["rotate", "swing", "swivel", "open", "degrees", "spin", "own axis"],
  acts: "parts",
  seconds: 1.2,
  shape: { ...ABOUT, way: z.enum(["by", "to", "home"]), degrees: SETTINGS.degrees },
  defaults: (c) => {
    const joints = ownJoints(c, turns);
    return { axis: joints.length > 0 ? "joint" : "turn.z", joints, way: "by" as const, degrees: 90 };
  },
  fields: [
    ABOUT_FIELD,
    {
      name: "way",
      label: "Goes",
      type: "choice",
      choices: [
        { value: "by", label: "by an angle" },
        { value: "to", label: "to an angle" },
        { value: "home", label: "home" },
      ],
    },
    { name: "degrees", label: "Angle", type: "degrees", when: (s) => s.way !== "home" },
  ],
  pieces: (move, c): Piece[] => {
    const channel = turningChannel(move.settings, c);
    if (!channel) return [];
    const piece = { channel, t0: move.start, t1: move.start + move.length, ease: move.ease };
    if (move.settings.way === "by") return [{ ...piece, by: move.settings.degrees }];
    return [{ ...piece, to: move.settings.way === "to" ? move.settings.degrees : homeReading(channel, c) }];
  },
  describe: (m, p) =>
    m.settings.way === "home"
      ? "turns home"
      : `turns ${m.settings.way} ${brief(m.settings.degrees)}° about ${aboutWhat(m.settings, p)}`,
});

/** The value of a channel at home. */
export function homeReading(channel: string, c: PieceContext): number {
  return channel.startsWith("joint.") ? (c.preparation.joints[channel.slice(6)]?.zero ?? 0) : 0;
}

/** The first joint of each target that is of a kind asked for; none where a target has none. */
export function ownJoints(
  c: { preparation: Preparation; targets: Made["targets"] },
  wanted: (joint: Joint) => boolean = () => true,
): string[] {
  const found = c.targets.map((t) =>
    Object.values(c.preparation.joints).find(
      (j) =>
        wanted(j) &&
        ((t.type === "node" && j.target.type === "node" && j.target.key === t.key) ||
          (t.type === "group" && j.target.type === "group" && j.target.id === t.id)),
    ),
  );
  return found.every((j) => j !== undefined) ? found.map((j) => (j as { id: string }).id) : [];
}

/** A fastener is turned out of its thread, exactly as far as its pitch says. */
export const unscrew = moveKind({
  kind: "unscrew",
  title: "Unscrew",
  about: "Turns fasteners out of their threads: the screw's pitch makes the way from the turns.",
  words: ["screw", "bolt", "thread", "loosen", "tighten", "nut"],
  acts: "parts",
  seconds: 2.5,
  shape: { joints: ABOUT.joints, turns: SETTINGS.turns },
  defaults: (c) => {
    const joints = ownJoints(c, hasPitch);
    if (joints.length === 0) throw new Refusal("no-screw");
    return { joints, turns: 3 };
  },
  fields: [{ name: "turns", label: "Turns out", type: "turns", hint: "Negative turns it in" }],
  pieces: (move, c): Piece[] => {
    const joint = c.tracks?.joints.find((j) => move.settings.joints.includes(j.joint.id) && hasPitch(j.joint));
    if (!joint) return [];
    // Out is along the joint's stored direction; which sense of turning that is follows from the pitch.
    const out = Math.sign(joint.joint.pitch) * joint.sense;
    return [
      {
        channel: `joint.${joint.joint.id}`,
        t0: move.start,
        t1: move.start + move.length,
        ease: move.ease,
        by: 360 * move.settings.turns * out,
      },
    ];
  },
  describe: (m) =>
    `${m.settings.turns < 0 ? "screws in" : "unscrews"} ${brief(Math.abs(m.settings.turns))} ${Math.abs(m.settings.turns) === 1 ? "turn" : "turns"}`,
});

/** Jumps with a rest after each, as of a counter or a turret. */
export const indexing = moveKind({
  kind: "index",
  title: "Index",
  about: "Turns in equal jumps with a rest after each, like a counter.",
  words: ["step", "counter", "jump", "ratchet", "dwell", "turret", "own axis"],
  acts: "parts",
  seconds: 4,
  ease: { kind: "soft", start: 0.3, stop: 0.3 },
  shape: {
    ...ABOUT,
    degrees: SETTINGS.degrees,
    jumps: z.int().min(1, "At least one jump.").max(1000),
    dwell: SETTINGS.ticks,
  },
  defaults: (c) => {
    const joints = ownJoints(c, turns);
    return { axis: joints.length > 0 ? "joint" : "turn.z", joints, degrees: 36, jumps: 5, dwell: 0.4 * 705_600_000 };
  },
  fields: [
    ABOUT_FIELD,
    { name: "jumps", label: "Jumps", type: "count" },
    { name: "degrees", label: "Each by", type: "degrees" },
    { name: "dwell", label: "Rest between", type: "time" },
  ],
  pieces: (move, c): Piece[] => {
    const channel = turningChannel(move.settings, c);
    if (!channel) return [];
    const { jumps, dwell, degrees } = move.settings;
    // Rests that do not fit leave the jumps half of the time.
    const rest = jumps > 1 ? Math.min(dwell, Math.floor(move.length / 2 / (jumps - 1))) : 0;
    const jump = (move.length - rest * (jumps - 1)) / jumps;
    return Array.from({ length: jumps }, (_, i) => {
      const t0 = move.start + Math.round(i * (jump + rest));
      return { channel, t0, t1: Math.round(move.start + i * (jump + rest) + jump), ease: move.ease, by: degrees };
    });
  },
  describe: (m) => `${m.settings.jumps} jumps of ${brief(m.settings.degrees)}°`,
});
