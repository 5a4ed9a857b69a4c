import { z } from "zod";
import { turns } from "../kinematics/jointKinds";
import { Refusal } from "../text/refusal";
import { brief, moveKind, type Piece, SETTINGS } from "./kind";
import { ownJoints } from "./turn";

/** Drives a joint to a reading or by an amount; what is linked to it follows. */
export const driveJoint = moveKind({
  kind: "joint",
  title: "Drive a joint",
  about: "Takes a hinge, slide or screw to a reading, or by an amount; linked parts follow.",
  words: ["hinge", "crank", "mechanism", "gear", "reading"],
  acts: "parts",
  seconds: 2,
  shape: { joints: z.array(SETTINGS.id).min(1).max(5000), way: z.enum(["by", "to", "home"]), value: SETTINGS.reading },
  defaults: (c) => {
    const joints = ownJoints(c);
    if (joints.length === 0) throw new Refusal("no-joint");
    const first = c.preparation.joints[joints[0] ?? ""];
    return { joints, way: "by" as const, value: first && !turns(first) ? 20 : 90 };
  },
  fields: [
    { name: "joints", label: "Joint", type: "joint" },
    {
      name: "way",
      label: "Goes",
      type: "choice",
      choices: [
        { value: "by", label: "by an amount" },
        { value: "to", label: "to a reading" },
        { value: "home", label: "home" },
      ],
    },
    { name: "value", label: "Amount", type: "reading", when: (s) => s.way !== "home" },
  ],
  pieces: (move, c): Piece[] => {
    const joint = c.tracks?.joints.find((j) => move.settings.joints.includes(j.joint.id));
    if (!joint) return [];
    const piece = { channel: `joint.${joint.joint.id}`, t0: move.start, t1: move.start + move.length, ease: move.ease };
    const { way, value } = move.settings;
    return [way === "by" ? { ...piece, by: value } : { ...piece, to: way === "to" ? value : joint.joint.zero }];
  },
  describe: (m, p) => {
    const joint = p.joints[m.settings.joints[0] ?? ""];
    const unit = joint && !turns(joint) ? " mm" : "°";
    return `${joint?.name ?? "a joint that is gone"} ${m.settings.way === "home" ? "home" : `${m.settings.way} ${brief(m.settings.value)}${unit}`}`;
  },
});

/** Goes to a pose that was saved under a name; follows when the named pose is changed. */
export const goToPose = moveKind({
  kind: "pose",
  title: "Go to a named pose",
  about: "Takes a part or group to a pose saved under a name; when that pose is changed this follows.",
  words: ["open", "closed", "named", "state", "position"],
  acts: "one part",
  seconds: 1.4,
  shape: { pose: SETTINGS.id },
  defaults: (c) => {
    const target = c.targets[0];
    const pose = Object.values(c.preparation.poses).find(
      (p) =>
        (target?.type === "node" && p.target.type === "node" && p.target.key === target.key) ||
        (target?.type === "group" && p.target.type === "group" && p.target.id === target.id),
    );
    if (!pose) throw new Refusal("no-pose");
    return { pose: pose.id };
  },
  fields: [{ name: "pose", label: "Pose", type: "pose" }],
  pieces: (move, c): Piece[] => {
    const pose = c.preparation.poses[move.settings.pose];
    if (!pose) return [];
    const at = { t0: move.start, t1: move.start + move.length, ease: move.ease };
    return [
      ...Object.entries(pose.values).map(([channel, to]) => ({ channel, ...at, to })),
      ...(pose.orientation ? [{ channel: "orientation", ...at, to: pose.orientation }] : []),
    ];
  },
  describe: (m, p) => `goes to "${p.poses[m.settings.pose]?.name ?? "a pose that is gone"}"`,
});

/** The picture takes on a look: finishes, surroundings and what is seen through. */
export const changeLook = moveKind({
  kind: "look",
  title: "Change the look",
  about: "From here on the picture wears a saved look.",
  words: ["finish", "light", "ghost", "surroundings", "style"],
  acts: "look",
  seconds: 0,
  shape: { look: SETTINGS.id },
  defaults: (c) => {
    const look = Object.keys(c.preparation.looks)[0];
    if (!look) throw new Refusal("no-look");
    return { look };
  },
  fields: [{ name: "look", label: "Look", type: "look" }],
  pieces: (move, c): Piece[] => {
    const at = { t0: move.start, t1: move.start + move.length, ease: move.ease };
    return Object.keys(c.preparation.looks).map((look) => ({
      channel: `look.${look}`,
      ...at,
      to: look === move.settings.look ? 1 : 0,
    }));
  },
  describe: (m, p) => `wears "${p.looks[m.settings.look]?.name ?? "a look that is gone"}"`,
});
