import { z } from "zod";
import { linkFault } from "../kinematics/graph";
import { hasPitch, JOINT_KIND_NAMES } from "../kinematics/jointKinds";
import { LookSchema } from "./looks";
import { finite, id, type PartTarget, PartTargetSchema, triple, unitTriple } from "./parts";
import { FinishSchema, SURROUNDINGS_DEFAULT, SurroundingsSchema } from "./surroundings";

/** An axis a part may turn about: a unit direction in the parent's home frame, through the part's pivot. */
export const TurnAxisSchema = z.object({
  id: z.string().regex(/^[a-z][a-z0-9-]{0,30}$/),
  name: z.string().min(1).max(60),
  direction: unitTriple,
});
export type TurnAxis = z.infer<typeof TurnAxisSchema>;

/** Declared on every part unless it has its own: the three axes of the parent's home frame, in this order. */
export const DEFAULT_AXES: readonly TurnAxis[] = [
  { id: "x", name: "X", direction: [1, 0, 0] },
  { id: "y", name: "Y", direction: [0, 1, 0] },
  { id: "z", name: "Z", direction: [0, 0, 1] },
];

/**
 * A point the part turns about, mm. In the part's own frame ("part") it goes along when a revision moves the part's
 * home; documents of the first version have it in the parent's home frame ("parent").
 */
export const PivotSchema = z.object({ at: triple, in: z.enum(["part", "parent"]) });
export type Pivot = z.infer<typeof PivotSchema>;

export const NodePreparationSchema = z.object({
  name: z.string().min(1).max(200).optional(),
  hidden: z.boolean().optional(),
  /** May not be posed or moved; a name may still be given. Holds for all below. */
  locked: z.boolean().optional(),
  /** Drawn so that what lies behind can be seen. */
  ghost: z.boolean().optional(),
  finish: FinishSchema.optional(),
  /** Default: the middle of its bounds at home. */
  pivot: PivotSchema.optional(),
  axes: z.array(TurnAxisSchema).min(1).max(6).optional(),
  /**
   * Where its home was moved: a rigid departure from the CAD home, in the parent's frame; 16 numbers, column-major,
   * mm.
   */
  home: z.array(finite).length(16).optional(),
});
export type NodePreparation = z.infer<typeof NodePreparationSchema>;

/** Parts from anywhere in the tree that act as one. Its frame is the assembly's; a part is in one group at most. */
export const GroupSchema = z.object({
  id,
  name: z.string().min(1, "A group needs a name.").max(200),
  members: z.array(z.string().min(1)).max(5000),
  locked: z.boolean().optional(),
  /** Assembly frame, mm. Default: the middle of the members' bounds at home. */
  pivot: triple.optional(),
});
export type Group = z.infer<typeof GroupSchema>;

export const LimitsSchema = z
  .object({ min: finite.nullable(), max: finite.nullable(), hard: z.boolean() })
  .refine((l) => l.min === null || l.max === null || l.min < l.max, "the lower limit must be below the upper one");

/**
 * A joint: how a part may move about or along an axis. Point (mm) and direction are in the part's own frame; for a
 * group in the assembly's. Its reading is in degrees (hinge, screw) or mm (slide), without upper bound: `zero` is the
 * reading at home, and `flipped` turns the sense in which it counts. Departure = sense x (reading - zero).
 */
export const JointSchema = z
  .object({
    id,
    name: z.string().min(1, "A joint needs a name.").max(200),
    target: PartTargetSchema,
    kind: z.enum(JOINT_KIND_NAMES),
    point: triple,
    direction: unitTriple,
    zero: finite.min(-1e7).max(1e7),
    flipped: z.boolean(),
    /** Screw only: mm along the direction for one turn about it; negative for a left-hand thread. */
    pitch: finite.min(-1e5).max(1e5),
    limits: LimitsSchema.nullable(),
  })
  .refine((j) => !hasPitch(j) || j.pitch !== 0, "A screw needs a pitch other than 0.");
export type Joint = z.infer<typeof JointSchema>;

const link = { id, name: z.string().min(1).max(200), driver: id, follower: id };
const teeth = z.int("Tooth counts are whole numbers.").min(3, "A gear has at least 3 teeth.").max(10_000);
const positive = finite.positive("must be more than 0").max(1e6);

/**
 * A link couples two joints: the follower's departure from home is worked out from the driver's. Departures are those
 * of the parts (about or along the stored axes), so changing a zero or a sense changes no link.
 */
export const LinkSchema = z.discriminatedUnion("kind", [
  /** Follower goes `num` for each `den` of the driver; counter wheels are 1 to 10, 1 to 100. */
  z.object({
    ...link,
    kind: z.literal("ratio"),
    num: finite,
    den: finite.refine((v) => v !== 0, "may not be 0"),
    offset: finite,
  }),
  /** A pair of gears by their tooth counts; the sense follows from the axes. Offset in degrees of the follower. */
  z.object({
    ...link,
    kind: z.literal("gears"),
    driverTeeth: teeth,
    followerTeeth: teeth,
    internal: z.boolean(),
    offset: finite,
  }),
  /** A pinion drives a rack, or a spindle its nut: mm of the follower for a turn of the driver. */
  z.object({
    ...link,
    kind: z.enum(["rack", "lead"]),
    travel: finite.refine((v) => v !== 0, "may not be 0"),
    offset: finite,
  }),
  /** Points of driver and follower departures, rising in the driver; with a period it repeats. */
  z.object({
    ...link,
    kind: z.literal("cam"),
    points: z
      .array(z.tuple([finite, finite]))
      .min(2, "A cam curve needs at least two points.")
      .max(2000)
      .refine(
        (p) => p.every((v, i) => i === 0 || v[0] > (p[i - 1] as [number, number])[0]),
        "the driver's values must rise from point to point",
      ),
    period: positive.nullable(),
  }),
  /**
   * Crank and slider: hinge drives slide over a rod. `homeAngle` is the crank's angle at home from the slide's
   * direction (degrees, about the crank's axis); `offset` the slide line's distance from the crank's axis (mm, to the
   * left of the slide's direction as seen against the crank's axis); `branch` 1: the slider lies ahead of the pin.
   */
  z.object({
    ...link,
    kind: z.literal("crank-slider"),
    rod: PartTargetSchema.nullable(),
    radius: positive,
    rodLength: positive,
    offset: finite,
    homeAngle: finite,
    branch: z.union([z.literal(1), z.literal(-1)]),
  }),
  /** Four bars: hinge drives hinge over a coupler between two pins, given at home in the assembly's frame (mm). */
  z.object({
    ...link,
    kind: z.literal("four-bar"),
    coupler: PartTargetSchema.nullable(),
    driverPin: triple,
    followerPin: triple,
    /** Uses the other of the two ways in which the bars can be put together. */
    crossed: z.boolean(),
  }),
]);
export type Link = z.infer<typeof LinkSchema>;

/** A pose under a name, of a part or group: only the channels it sets. Changing it changes every place that uses it. */
export const NamedPoseSchema = z.object({
  id,
  name: z.string().min(1, "A pose needs a name.").max(200),
  target: PartTargetSchema,
  values: z.record(z.string(), finite),
  orientation: z.tuple([finite, finite, finite, finite]).optional(),
});
export type NamedPose = z.infer<typeof NamedPoseSchema>;

/** A second one of a part or sub-assembly, told apart from it; not to be seen until something brings it up. */
export const CopySchema = z.object({
  id: z.string().regex(/^[A-Za-z0-9_-]{1,40}$/),
  of: z.string().min(1),
  name: z.string().min(1, "A copy needs a name.").max(200),
});

export const PREPARATION_VERSION = 3;

/** The animator's layer over the assembly. Nodes are named by stable key; nothing of the tree is copied. */
export const PreparationSchema = z
  .object({
    version: z.literal(PREPARATION_VERSION),
    displayUnit: z.enum(["mm", "cm", "m", "in"]),
    nodes: z.record(z.string(), NodePreparationSchema),
    groups: z.record(id, GroupSchema),
    joints: z.record(id, JointSchema),
    links: z.record(id, LinkSchema),
    poses: z.record(id, NamedPoseSchema),
    copies: z.record(id, CopySchema),
    surroundings: SurroundingsSchema,
    looks: z.record(id, LookSchema),
    /** The look that a sequence begins with; null: finishes and surroundings as they are now. */
    defaultLook: id.nullable(),
    /** Thresholds of the proof that were chosen for this project, by check and name; the usual ones elsewhere. */
    proof: z.record(z.string().max(40), z.record(z.string().max(40), finite)).optional(),
  })
  .superRefine((doc, ctx) => {
    const fault = linkFault(doc);
    if (fault) ctx.addIssue({ code: "custom", path: ["links"], message: fault });
    const owner = new Map<string, string>();
    for (const group of Object.values(doc.groups)) {
      for (const member of group.members) {
        if (owner.has(member))
          ctx.addIssue({
            code: "custom",
            path: ["groups", group.id],
            message: `shares the part ${member} with another group`,
          });
        owner.set(member, group.id);
      }
    }
    if (doc.defaultLook !== null && !doc.looks[doc.defaultLook])
      ctx.addIssue({ code: "custom", path: ["defaultLook"], message: "names a look that does not exist" });
  });
export type Preparation = z.infer<typeof PreparationSchema>;

/** A preparation with nothing prepared. */
export function emptyPreparation(): Preparation {
  return {
    version: PREPARATION_VERSION,
    displayUnit: "mm",
    nodes: {},
    groups: {},
    joints: {},
    links: {},
    poses: {},
    copies: {},
    surroundings: SURROUNDINGS_DEFAULT,
    looks: {},
    defaultLook: null,
  };
}

/** First version: pivots were plain points in the parent's home frame, and there was nothing else to prepare. */
export function preparationFrom1(old: Record<string, unknown>): Record<string, unknown> {
  const nodes: Record<string, unknown> = {};
  for (const [key, value] of Object.entries((old.nodes ?? {}) as Record<string, Record<string, unknown>>)) {
    nodes[key] = value.pivot ? { ...value, pivot: { at: value.pivot, in: "parent" } } : value;
  }
  return { ...emptyPreparation(), displayUnit: old.displayUnit, nodes };
}

/** Second version: there were no copies of parts. */
export function preparationFrom2(old: Record<string, unknown>): Record<string, unknown> {
  return { ...old, copies: {} };
}

/** The joints of a part or group, in their order: those first in the list act first. */
export function jointsOf(preparation: Pick<Preparation, "joints">, target: PartTarget): Joint[] {
  return Object.values(preparation.joints).filter(
    (j) =>
      j.target.type === target.type &&
      (j.target.type === "node" ? j.target.key : j.target.id) === (target.type === "node" ? target.key : target.id),
  );
}
