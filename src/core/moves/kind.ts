import { z } from "zod";
import type { AssemblyIndex } from "../assembly/assembly";
import { EaseSchema, RepeatSchema, type Target, TargetSchema, TITLE_MAX, ticks } from "../document/keys";
import { finite, id, PartTargetSchema, triple, unitTriple } from "../document/parts";
import type { Joint, Preparation } from "../document/preparation";
import { EASE_DEFAULT, type Ease } from "../ease/ease";
import { nth } from "../math/packed";
import type { ReadonlyTriple, Triple } from "../math/triple";
import { TICKS_PER_SECOND } from "../time/time";

/** Colours a move or folder may be marked with, and those that attention may use. */
export const MOVE_COLOURS = ["teal", "brick", "ochre", "moss", "slate", "plum"] as const;
export type MoveColour = (typeof MOVE_COLOURS)[number];

/** What every move has. */
export const MOVE_BASE = {
  id,
  name: z.string().max(TITLE_MAX),
  on: z.boolean(),
  folder: id.nullable(),
  colour: z.enum(MOVE_COLOURS).nullable(),
  note: z.string().max(2000, "A note may have at most 2000 characters."),
  repeat: RepeatSchema.optional(),
};

/** What every ready-made move has besides. */
export const MADE_BASE = {
  ...MOVE_BASE,
  /** Ticks from the start of the step's action. */
  start: ticks,
  /** Ticks that its main part takes; 0 makes it a cut. */
  length: ticks,
  ease: EaseSchema,
  targets: z.array(TargetSchema).max(5000),
};

/** Zod pieces that settings are made of. */
export const SETTINGS = {
  mm: finite.min(-1e6, "is beyond 1,000 m").max(1e6, "is beyond 1,000 m"),
  degrees: finite.min(-1e6, "is beyond 1,000,000°").max(1e6, "is beyond 1,000,000°"),
  turns: finite.min(-1e5, "is beyond 100,000 turns").max(1e5, "is beyond 100,000 turns"),
  /** How many times as large: more than nothing. */
  factor: finite.positive("must be more than 0").max(1e4, "is beyond 10,000 times"),
  /** A joint's value: degrees or mm, as the joint has it. */
  reading: finite.min(-1e6, "is beyond 1,000,000").max(1e6, "is beyond 1,000,000"),
  direction: unitTriple,
  point: triple,
  part: PartTargetSchema,
  id,
  ticks,
  colour: z.enum(MOVE_COLOURS),
  share: finite.min(0).max(1),
};

/** How one setting is shown and typed. */
export interface SettingField {
  name: string;
  label: string;
  type:
    | "mm"
    | "degrees"
    | "turns"
    | "number"
    | "count"
    /** A joint's: degrees or mm, as the joint has it. */
    | "reading"
    | "share"
    | "switch"
    | "choice"
    | "time"
    | "text"
    | "direction"
    | "point"
    | "joint"
    | "pose"
    | "look"
    | "part"
    | "colour"
    | "camera";
  choices?: readonly { value: string; label: string }[];
  /** Shown only when this holds. */
  when?: (settings: Record<string, unknown>) => boolean;
  /** What empty (null) means, in words; without it the setting may not be empty. */
  empty?: string;
  hint?: string;
  /** The desk shows it with an editor of its own. */
  own?: boolean;
}

/** One change of one channel, as a move makes it. Times in ticks from the start of the step's action. */
export interface Piece {
  channel: string;
  t0: number;
  t1: number;
  ease: Ease;
  /** The value arrived at (four numbers for "orientation"). */
  to?: number | readonly number[] | undefined;
  /** Or what is added to the value at t0. */
  by?: number | undefined;
  /** Or what the value at t0 is multiplied with. */
  times?: number | undefined;
  /** Companions of the motion, which a reversed copy leaves out unless asked. */
  companion?: boolean | undefined;
}

/**
 * What a kind knows of a part or group that it moves: its joints, and where it turns about (mm, the frame it departs
 * in).
 */
export interface MovingPart {
  joints: readonly { joint: Joint; sense: 1 | -1; point: ReadonlyTriple; direction: ReadonlyTriple }[];
  pivot: ReadonlyTriple;
}

/** The assembly as posed: world matrices, 16 doubles a node, and what of it is to be seen. */
export interface PosedParts {
  world: Float64Array;
  visible: Uint8Array;
}

/** What a move sees of the world while it is worked out for one of its targets. */
export interface PieceContext {
  target: Target;
  /** Position of the target in the move's list. */
  at: number;
  index: AssemblyIndex;
  preparation: Preparation;
  /** Channels of a part or group; null for a camera and the like. */
  tracks: MovingPart | null;
  /** Length of a frame, ticks. */
  frame: number;
  /** Width / height of the picture. */
  aspect: number;
  /** The value current at the move's start; a channel that does not exist gives 0. */
  now(channel: string): number;
  /** The value current at another time of the step, ticks in its action. */
  nowAt(channel: string, t: number): number;
  /** A direction of the assembly's frame in the frame the target departs in. */
  own(direction: ReadonlyTriple): Triple;
  /** Origin of the frame the target departs in, in the assembly's frame, mm. */
  origin(): ReadonlyTriple;
  /** The assembly posed at a time of the step (ticks in its action); parts only. The buffer is used again. */
  posed(t: number): PosedParts;
  /** Length of the step's action as far as other moves make it, ticks. */
  action: number;
  /** A node's home in the assembly's frame, inverted. */
  homeInverse(node: number): readonly number[];
  /** An ease at a share of its time, both 0..1. */
  eased(ease: Ease, u: number): number;
  /** Number of a camera in the program; -1 for one that is gone. */
  cameraNumber(id: string): number;
  /** Nodes of a part target (a group's members). */
  nodesOf(target: Target): readonly number[];
}

/** A move of one kind; `S` are its settings, as the kind's schema has them. */
export interface Made<S = Record<string, unknown>> {
  id: string;
  kind: string;
  on: boolean;
  start: number;
  length: number;
  ease: Ease;
  targets: readonly Target[];
  settings: S;
}

/** What a schema's shape says that settings are. */
export type SettingsOf<S extends z.ZodRawShape> = z.output<z.ZodObject<S>>;

/** What a new move may start from: what is selected, and what the program knows about it. */
export interface MakeContext {
  index: AssemblyIndex;
  preparation: Preparation;
  targets: readonly Target[];
  camera: string;
  nodesOf(target: Target): readonly number[];
  /** The camera's values now, by channel. */
  view: Readonly<Record<string, number>>;
}

export interface MoveKind<K extends string = string, S extends z.ZodRawShape = z.ZodRawShape> {
  kind: K;
  /** Goes along with what moves: made in a step where something does, it takes that one's time. */
  accompanies?: boolean;
  title: string;
  /** One line that says what it does. */
  about: string;
  /** Further words it is found by. */
  words: readonly string[];
  acts: "parts" | "one part" | "camera" | "look" | "picture";
  shape: S;
  seconds: number;
  ease?: Ease;
  /** Settings of a new move. @throws Refusal with words for the user where it cannot be made. */
  defaults(context: MakeContext): SettingsOf<S>;
  fields: readonly SettingField[];
  /** Targets beside those listed in the move. */
  also?(settings: SettingsOf<S>): Target[];
  /** Whole length in ticks where it is not `length`. */
  span?(move: Made<SettingsOf<S>>): number;
  /** The part of its span that a reversed copy mirrors, without companions; else all of it. */
  main?(move: Made<SettingsOf<S>>): { t0: number; t1: number };
  /** Whether poses of parts go into it: it is worked out after them, and again when they change. */
  readsParts?: boolean;
  /** Whether something is drawn over the picture while it is on; how much of it is `overlay`'s channel "shown". */
  overlay?(move: Made<SettingsOf<S>>): Piece[];
  pieces(move: Made<SettingsOf<S>>, context: PieceContext): Piece[];
  describe(move: Made<SettingsOf<S>>, preparation: Preparation): string;
}

/** Checks a kind's types where it is written down. */
export function moveKind<K extends string, S extends z.ZodRawShape>(spec: MoveKind<K, S>): MoveKind<K, S> {
  return spec;
}

/** The schema of a kind's moves. */
export function madeSchema<K extends string, S extends z.ZodRawShape>(spec: MoveKind<K, S>) {
  return z.object({ ...MADE_BASE, kind: z.literal(spec.kind), settings: z.object(spec.shape) });
}

export const SECOND = TICKS_PER_SECOND;
export const easeOf = (kind: Pick<MoveKind, "ease">): Ease => kind.ease ?? EASE_DEFAULT;
export const STEADY: Ease = { kind: "soft", start: 0, stop: 0 };

/** A number as shown in descriptions: at most three decimals, no trailing noughts. */
export const brief = (v: number): string => String(Math.round(v * 1000) / 1000);

/** Names of the three slides. */
export const SLIDES = ["slide.x", "slide.y", "slide.z"] as const;

/** Pieces that add a vector of the assembly's frame (mm) to a target's slide. */
export function slideBy(
  context: PieceContext,
  direction: ReadonlyTriple,
  distance: number,
  t0: number,
  t1: number,
  ease: Ease,
): Piece[] {
  const own = context.own(direction);
  return SLIDES.flatMap((channel, k) => (own[k] === 0 ? [] : [{ channel, t0, t1, ease, by: nth(own, k) * distance }]));
}
