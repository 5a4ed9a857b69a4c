import { z } from "zod";
import { TICKS_PER_SECOND } from "../time/time";
import { finite, id, unitShare as unit } from "./parts";

export const TITLE_MAX = 200;
export const CAPTION_MAX = 1000;
export const NOTE_MAX = 4000;
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

/**
 * Channel names: slide.x ..., turn.<axis id>, size.x ..., joint.<joint id>, opacity, tint, visible; a camera's own;
 * look.<look id>.
 */
export const NODE_CHANNEL =
  /^(slide\.[xyz]|turn\.[a-z][a-z0-9-]{0,30}|size\.[xyz]|joint\.[A-Za-z0-9_-]{1,40}|opacity|tint|tint-colour|visible)$/;
/** How much of a look the picture has; what all looks leave of 1 is the look the sequence began with. */
export const LOOK_CHANNEL = /^look\.[A-Za-z0-9_-]{1,40}$/;
export const CAMERA_CHANNELS = ["aim.x", "aim.y", "aim.z", "azimuth", "elevation", "distance", "roll", "lens"] as const;
export type CameraChannel = (typeof CAMERA_CHANNELS)[number];

export const channelName = z
  .string()
  .refine(
    (n) => NODE_CHANNEL.test(n) || LOOK_CHANNEL.test(n) || (CAMERA_CHANNELS as readonly string[]).includes(n),
    "is not a channel",
  );

const handle = z.object({
  /** Length in time as a share of the transition, 0..1: more would make time run backwards. */
  share: unit,
  /** Where it points to, in the channel's unit, from the value at its own end. */
  value: finite.min(-1e7).max(1e7),
});

/**
 * How one channel of an arrival gets there, where that is not the arrival's ease: hold the value and jump at the end;
 * straight; smooth without ever overshooting its arrivals, or free to; or by own handles.
 */
export const ShapeSchema = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("hold") }),
  z.object({ kind: z.literal("straight") }),
  z.object({ kind: z.literal("smooth") }),
  z.object({ kind: z.literal("free") }),
  z.object({ kind: z.literal("handles"), leave: handle, arrive: handle }),
]);
export type Shape = z.infer<typeof ShapeSchema>;
export type Handle = z.infer<typeof handle>;

/** What a channel does before its first arrival or after its last. */
export const BEYOND = ["hold", "straight", "repeat", "add", "swing"] as const;
export type Beyond = (typeof BEYOND)[number];
export const BeyondSchema = z.object({ before: z.enum(BEYOND), after: z.enum(BEYOND) });

/**
 * A move done again and again: `times` in all (null: for good, whatever steps follow), each beginning `period` ticks
 * after the one before (null: at its end).
 */
export const RepeatSchema = z.object({
  times: z.int().min(2, "At least two times.").max(10_000, "At most 10,000 times.").nullable(),
  period: ticks.nullable(),
  /** Arrivals by hand repeat their values, or add up what each cycle gains; every other cycle may run back instead. */
  way: z.enum(["same", "add", "swing"]),
});
export type Repeat = z.infer<typeof RepeatSchema>;

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
  /** Shapes of single channels, in place of the ease. */
  shapes: z.record(channelName, ShapeSchema).optional(),
  /** Channels whose two handles here are set apart; all others' are kept in line. */
  split: z.array(channelName).max(200).optional(),
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

/** A camera is at most so far from its aim, mm: a hundred kilometres. */
export const CAMERA_DISTANCE_MAX = 1e8;

export const CameraValuesSchema = z.object({
  "aim.x": finite,
  "aim.y": finite,
  "aim.z": finite,
  azimuth: finite,
  elevation: finite.min(-90).max(90),
  distance: finite.positive().max(CAMERA_DISTANCE_MAX),
  roll: finite,
  /** Focal length in mm on a sensor 36 mm wide. */
  lens: finite.min(4).max(1200),
});
/**
 * A camera as aim + orbit: it looks at the aim (mm) from `distance`, `azimuth` degrees round the up axis from the
 * front and `elevation` degrees above the level, tilted by `roll`.
 */
export type CameraValues = z.infer<typeof CameraValuesSchema>;
