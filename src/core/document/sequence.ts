import { z } from "zod";
import { TICKS_PER_SECOND } from "../time/time";
import { finite, id, unitShare as unit } from "./parts";

export const SEQUENCE_VERSION = 1;

export const TITLE_MAX = 200;
export const CAPTION_MAX = 1000;
/** Longest time anything in a sequence may have: ten hours. */
export const TIME_MAX_TICKS = 36_000 * TICKS_PER_SECOND;

const ticks = z.int().min(0).max(TIME_MAX_TICKS);

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

export const FrameRateSchema = z
  .object({ num: z.int().min(1).max(240_000), den: z.int().min(1).max(1001) })
  .refine((r) => r.num / r.den >= 1 && r.num / r.den <= 240, "must be between 1 and 240 frames a second")
  .refine((r) => (TICKS_PER_SECOND * r.den) % r.num === 0, "must divide a second into whole ticks");

/** Channel names: slide.x ..., turn.<axis id>, size.x ..., joint.<joint id>, opacity, tint, visible; a camera's own; look.<look id>. */
export const NODE_CHANNEL = /^(slide\.[xyz]|turn\.[a-z][a-z0-9-]{0,30}|size\.[xyz]|joint\.[A-Za-z0-9_-]{1,40}|opacity|tint|visible)$/;
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

/** What can be keyed: a node by stable key, a group, a camera, or the picture's look. */
export const TargetSchema = z.discriminatedUnion("type", [
  z.object({ type: z.literal("node"), key: z.string().min(1) }),
  z.object({ type: z.literal("group"), id }),
  z.object({ type: z.literal("camera"), id }),
  z.object({ type: z.literal("look") }),
]);
export type Target = z.infer<typeof TargetSchema>;

/** One name for a target, as a key of maps. */
export function targetId(target: Target): string {
  if (target.type === "node") return `n:${target.key}`;
  if (target.type === "group") return `g:${target.id}`;
  return target.type === "camera" ? `c:${target.id}` : "look";
}

export const MoveSchema = z.discriminatedUnion("kind", [
  z.object({
    id,
    kind: z.literal("hand"),
    name: z.string().max(TITLE_MAX),
    on: z.boolean(),
    target: TargetSchema,
    keys: z.record(id, KeySchema),
  }),
]);
export type Move = z.infer<typeof MoveSchema>;

export const StepSchema = z.object({
  id,
  title: z.string().max(TITLE_MAX, `A title may have at most ${TITLE_MAX} characters.`),
  caption: z.string().max(CAPTION_MAX, `A caption may have at most ${CAPTION_MAX} characters.`),
  note: z.string().max(4000, "A note may have at most 4000 characters."),
  on: z.boolean(),
  /** Still interval before the action, ticks. */
  stillBefore: ticks,
  /** Least length of the action, ticks; arrivals beyond it lengthen it. */
  action: ticks,
  stillAfter: ticks,
  moves: z.record(id, MoveSchema),
});
export type Step = z.infer<typeof StepSchema>;

export const CameraValuesSchema = z.object({
  "aim.x": finite,
  "aim.y": finite,
  "aim.z": finite,
  azimuth: finite,
  elevation: finite.min(-90).max(90),
  distance: finite.positive().max(1e8),
  roll: finite,
  /** Focal length in mm on a sensor 36 mm wide. */
  lens: finite.min(4).max(1200),
});
/**
 * A camera as aim + orbit: it looks at the aim (mm) from `distance`, `azimuth` degrees round the up axis from the
 * front and `elevation` degrees above the level, tilted by `roll`.
 */
export type CameraValues = z.infer<typeof CameraValuesSchema>;

export const SequenceSchema = z
  .object({
    version: z.literal(SEQUENCE_VERSION),
    name: z.string().min(1, "A sequence needs a name.").max(TITLE_MAX),
    rate: FrameRateSchema,
    picture: z.object({ width: z.int().min(16).max(7680), height: z.int().min(16).max(4320) }),
    cameras: z.record(id, z.object({ id, name: z.string().min(1).max(TITLE_MAX), home: CameraValuesSchema })),
    /** The camera that the picture is seen through. */
    camera: id,
    steps: z.record(id, StepSchema),
    stepOrder: z.array(id).max(2000),
  })
  .superRefine((doc, ctx) => {
    const order = new Set(doc.stepOrder);
    if (order.size !== doc.stepOrder.length) ctx.addIssue({ code: "custom", path: ["stepOrder"], message: "names a step twice" });
    for (const step of doc.stepOrder) {
      if (!doc.steps[step]) ctx.addIssue({ code: "custom", path: ["stepOrder"], message: `names the step ${step}, which does not exist` });
    }
    for (const step of Object.keys(doc.steps)) {
      if (!order.has(step)) ctx.addIssue({ code: "custom", path: ["steps", step], message: "is not in the order of steps" });
    }
    if (!doc.cameras[doc.camera]) ctx.addIssue({ code: "custom", path: ["camera"], message: "names a camera that does not exist" });
  });
export type Sequence = z.infer<typeof SequenceSchema>;

/** Defaults of a new step: half a second still on either side of two seconds of action. */
export const STEP_DEFAULTS = {
  stillBefore: TICKS_PER_SECOND / 2,
  action: 2 * TICKS_PER_SECOND,
  stillAfter: TICKS_PER_SECOND / 2,
} as const;

/** A sequence with one empty step. */
export function newSequence(name: string, home: CameraValues, stepId: string): Sequence {
  return {
    version: SEQUENCE_VERSION,
    name,
    rate: { num: 30, den: 1 },
    picture: { width: 1280, height: 720 },
    cameras: { main: { id: "main", name: "Main camera", home } },
    camera: "main",
    steps: { [stepId]: newStep(stepId, "First step") },
    stepOrder: [stepId],
  };
}

/** An empty step with the usual stills in place. */
export function newStep(stepId: string, title: string): Step {
  return { id: stepId, title, caption: "", note: "", on: true, ...STEP_DEFAULTS, moves: {} };
}
