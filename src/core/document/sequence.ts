import { z } from "zod";
import { MOVE_BASE, MOVE_COLOURS } from "../moves/kind";
import { MADE_SCHEMAS } from "../moves/kinds";
import { TICKS_PER_SECOND } from "../time/time";
import {
  BeyondSchema,
  CAPTION_MAX,
  type CameraValues,
  CameraValuesSchema,
  channelName,
  type Key,
  KeySchema,
  NOTE_MAX,
  TargetSchema,
  TITLE_MAX,
  ticks,
} from "./keys";
import { OutputSchema } from "./outputs";
import { id } from "./parts";
import { SoundSchema } from "./sounds";
import { TriggerSchema } from "./triggers";

export * from "./keys";

export const SEQUENCE_VERSION = 3;

export const FrameRateSchema = z
  .object({ num: z.int().min(1).max(240_000), den: z.int().min(1).max(1001) })
  .refine((r) => r.num / r.den >= 1 && r.num / r.den <= 240, "must be between 1 and 240 frames a second")
  .refine((r) => (TICKS_PER_SECOND * r.den) % r.num === 0, "must divide a second into whole ticks");

/** Arrivals set by hand on one target. */
export const HandMoveSchema = z.object({
  ...MOVE_BASE,
  kind: z.literal("hand"),
  target: TargetSchema,
  keys: z.record(id, KeySchema),
  /** Channels that do not hold before their first arrival or after their last. */
  beyond: z.record(channelName, BeyondSchema).optional(),
});
export type HandMove = z.infer<typeof HandMoveSchema>;

export const MoveSchema = z.discriminatedUnion("kind", [HandMoveSchema, ...MADE_SCHEMAS]);
export type Move = z.infer<typeof MoveSchema>;
/** A ready-made move: what it does is worked out from its settings. */
export type MadeMove = Exclude<Move, HandMove>;

/** Moves of a step that are shown, switched and copied together. */
export const FolderSchema = z.object({
  id,
  name: z.string().min(1, "A folder needs a name.").max(TITLE_MAX),
  on: z.boolean(),
  colour: z.enum(MOVE_COLOURS).nullable(),
});
export type Folder = z.infer<typeof FolderSchema>;

export const StepSchema = z.object({
  id,
  title: z.string().max(TITLE_MAX, `A title may have at most ${TITLE_MAX} characters.`),
  caption: z.string().max(CAPTION_MAX, `A caption may have at most ${CAPTION_MAX} characters.`),
  note: z.string().max(NOTE_MAX, `A note may have at most ${NOTE_MAX} characters.`),
  on: z.boolean(),
  /** Still interval before the action, ticks. */
  stillBefore: ticks,
  /** Least length of the action, ticks; arrivals beyond it lengthen it. */
  action: ticks,
  stillAfter: ticks,
  moves: z.record(id, MoveSchema),
  folders: z.record(id, FolderSchema),
});
export type Step = z.infer<typeof StepSchema>;

/** The timing of a step as it was kept: everything that says when, and what moves. */
export const StepTimingSchema = StepSchema.pick({
  stillBefore: true,
  action: true,
  stillAfter: true,
  moves: true,
  folders: true,
});
export type StepTiming = z.infer<typeof StepTimingSchema>;

/** A timing kept under a name: of one step or of several, to be tried against another. */
export const TimingVersionSchema = z.object({
  id,
  name: z.string().min(1, "A timing version needs a name.").max(TITLE_MAX),
  steps: z.record(id, StepTimingSchema),
});
export type TimingVersion = z.infer<typeof TimingVersionSchema>;

/** A named moment of a step. */
export const MarkerSchema = z.object({
  id,
  name: z.string().min(1, "A marker needs a name.").max(TITLE_MAX),
  step: id,
  at: ticks,
});
export type Marker = z.infer<typeof MarkerSchema>;

export const REASON_MAX = 500;

/** A finding of the proof that is meant so: which, how things stood, and why. */
export const MeantSchema = z.object({
  id,
  check: z.string().max(40),
  step: id,
  /** What it is about, as the check names it. */
  about: z.string().max(2000),
  /** The facts that were accepted; when they change it lapses. */
  facts: z.string().max(2000),
  reason: z.string().max(REASON_MAX, `A reason may have at most ${REASON_MAX} characters.`),
  by: z.string().max(200),
  /** When, ISO 8601. */
  at: z.string().max(40),
});
export type Meant = z.infer<typeof MeantSchema>;

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
    /** Named moments; each goes along with its step. Ticks from the step's start. */
    markers: z.record(id, MarkerSchema),
    /** Length that the whole is meant to have, ticks; null when none is asked for. */
    goal: ticks.nullable(),
    timings: z.record(id, TimingVersionSchema),
    /** Findings of the proof that are meant so. */
    meant: z.record(id, MeantSchema).optional(),
    /** What is made of it, by id, in the order in which they were added. */
    outputs: z.record(id, OutputSchema).optional(),
    /** What is heard: voices of steps, and music. */
    sounds: z.record(id, SoundSchema).optional(),
    /** What a reader of the page may set going. */
    triggers: z.record(id, TriggerSchema).optional(),
    /** What new steps begin with: stills as they mostly are (also where nothing is said), or none. */
    newSteps: z.enum(["stills", "none"]).optional(),
  })
  .superRefine((doc, ctx) => {
    const order = new Set(doc.stepOrder);
    if (order.size !== doc.stepOrder.length)
      ctx.addIssue({ code: "custom", path: ["stepOrder"], message: "names a step twice" });
    for (const step of doc.stepOrder) {
      if (!doc.steps[step])
        ctx.addIssue({ code: "custom", path: ["stepOrder"], message: `names the step ${step}, which does not exist` });
    }
    for (const step of Object.keys(doc.steps)) {
      if (!order.has(step))
        ctx.addIssue({ code: "custom", path: ["steps", step], message: "is not in the order of steps" });
    }
    if (!doc.cameras[doc.camera])
      ctx.addIssue({ code: "custom", path: ["camera"], message: "names a camera that does not exist" });
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
    markers: {},
    goal: null,
    timings: {},
  };
}

/** An empty step with the usual stills in place. */
export function newStep(stepId: string, title: string): Step {
  return { id: stepId, title, caption: "", note: "", on: true, ...STEP_DEFAULTS, moves: {}, folders: {} };
}

/** First version: moves were hand keys without folder, colour or note. */
export function sequenceFrom1(old: Record<string, unknown>): Record<string, unknown> {
  type Loose = Record<string, Record<string, unknown>>;
  const steps: Loose = {};
  for (const [stepId, step] of Object.entries((old.steps ?? {}) as Loose)) {
    const moves: Loose = {};
    for (const [moveId, move] of Object.entries((step.moves ?? {}) as Loose))
      moves[moveId] = { ...move, folder: null, colour: null, note: "" };
    steps[stepId] = { ...step, moves, folders: {} };
  }
  return { ...old, steps };
}

/** Second version: without markers, a length to keep to and timing versions. */
export function sequenceFrom2(old: Record<string, unknown>): Record<string, unknown> {
  return { ...old, markers: {}, goal: null, timings: {} };
}

/** Every timing of every step: as it is, and as timing versions keep it. For changes that all of them must follow. */
export const timedSteps = (sequence: Sequence): StepTiming[] => [
  ...Object.values(sequence.steps),
  ...Object.values(sequence.timings).flatMap((v) => Object.values(v.steps)),
];

/** Multiplies where a channel's own handles point to, for a change of its unit or sense. */
export function scaleHandles(key: Key, channel: string, factor: number): void {
  const shape = key.shapes?.[channel];
  if (shape?.kind !== "handles") return;
  shape.leave.value *= factor;
  shape.arrive.value *= factor;
}

/** The arrivals of a hand-keyed move; none of any other. */
export function keysOf(move: Move | undefined): Key[] {
  return move?.kind === "hand" ? Object.values(move.keys) : [];
}

/** A move as a hand-keyed one, or undefined. */
export function hand(move: Move | undefined): HandMove | undefined {
  return move?.kind === "hand" ? move : undefined;
}
