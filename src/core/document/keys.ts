import { z } from "zod";
import { TICKS_PER_SECOND } from "../time/time";
import { finite, id, unitShare as unit } from "./parts";

export const TITLE_MAX = 200;
export const CAPTION_MAX = 1000;
/** Longest time anything in a sequence may have: ten hours. */
export const TIME_MAX_TICKS = 36_000 * TICKS_PER_SECOND;

export const ticks = z.int().min(0).max(TIME_MAX_TICKS);

export const EaseSchema = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("soft"), start: unit, stop: unit }),
  z.object({
    kind: z.literal("curve"),
    x1: unit,
    y1: finite.min(-4).max(5),
    x2: unit,
    y2: finite.min(-4).max(5),
  }),
]);

/** Channel names: slide.x ..., turn.<axis id>, size.x ..., joint.<joint id>, opacity, tint, visible; a camera's own; look.<look id>. */
export const NODE_CHANNEL = /^(slide\.[xyz]|turn\.[a-z][a-z0-9-]{0,30}|size\.[xyz]|joint\.[A-Za-z0-9_-]{1,40}|opacity|tint|tint-colour|visible)$/;
/** How much of a look the picture has; what all looks leave of 1 is the look the sequence began with. */
export const LOOK_CHANNEL = /^look\.[A-Za-z0-9_-]{1,40}$/;
export const CAMERA_CHANNELS = ["aim.x", "aim.y", "aim.z", "azimuth", "elevation", "distance", "roll", "lens"] as const;
export type CameraChannel = (typeof CAMERA_CHANNELS)[number];

const channelName = z.string().refine((n) => NODE_CHANNEL.test(n) || LOOK_CHANNEL.test(n) || (CAMERA_CHANNELS as readonly string[]).includes(n), "is not a channel");

/** An arrival: be at these values at this time. Before its lead starts, the channels are still. */
export const KeySchema = z.object({
  id,
  /** Time of the arrival, ticks from the start of the step's action (the end of its still before). */
  at: ticks,
  /** Length of the transition that ends at the arrival, ticks; "previous" starts it at the previous arrival. */
  lead: z.union([ticks, z.literal("previous")]),
  ease: EaseSchema,
  /** Only the channels that this arrival changes. Departures from home for parts; plain values for a camera. */
  values: z.record(channelName, finite.min(-1e7).max(1e7)),
  /** Free orientation as a unit quaternion (x y z w), where a turn was about no declared axis. */
  orientation: z
    .tuple([finite, finite, finite, finite])
    .refine((q) => Math.abs(Math.hypot(...q) - 1) < 1e-6, "must be a unit quaternion")
    .optional(),
});
export type Key = z.infer<typeof KeySchema>;

/** What can be moved: a node by stable key, a group, a camera, the picture's look, or which camera is live. */
export const TargetSchema = z.discriminatedUnion("type", [
  z.object({ type: z.literal("node"), key: z.string().min(1) }),
  z.object({ type: z.literal("group"), id }),
  z.object({ type: z.literal("camera"), id }),
  z.object({ type: z.literal("look") }),
  z.object({ type: z.literal("picture") }),
]);
export type Target = z.infer<typeof TargetSchema>;
/** A target, or what a move draws over the picture. */
export type AnyTarget = Target | { type: "overlay"; id: string };

/** One name for a target, as a key of maps. */
export function targetId(target: AnyTarget): string {
  if (target.type === "node") return `n:${target.key}`;
  if (target.type === "group") return `g:${target.id}`;
  if (target.type === "overlay") return `m:${target.id}`;
  return target.type === "camera" ? `c:${target.id}` : target.type;
}
