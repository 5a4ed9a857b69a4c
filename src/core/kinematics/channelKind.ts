import { type JointKind, turns } from "./jointKinds";

/** What kind of number a channel is. */
export type ChannelKind = "length" | "angle" | "plain";

/** The kind of a channel by its name, of a joint by what it is read in; a joint that is gone is a plain number. */
export function channelKind(channel: string, joints: Readonly<Record<string, { kind: JointKind }>>): ChannelKind {
  if (channel.startsWith("joint.")) {
    const joint = joints[channel.slice(6)];
    return joint ? (turns(joint) ? "angle" : "length") : "plain";
  }
  const head = channel.split(".")[0];
  if (head === "slide" || head === "aim" || head === "distance") return "length";
  return head === "turn" || head === "azimuth" || head === "elevation" || head === "roll" ? "angle" : "plain";
}
