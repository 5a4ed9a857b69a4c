import { z } from "zod";
import { CAMERA_CHANNELS } from "../document/keys";
import type { StepChange, StepPrint } from "./prints";

/** What somebody who has a link may do; each includes those before it. */
export const MAY = ["look", "comment", "decide"] as const;
export type May = (typeof MAY)[number];
/** Whether one permission includes another. */
export const mayToo = (has: May, needs: May): boolean => MAY.indexOf(has) >= MAY.indexOf(needs);

export const COMMENT_MAX = 4000;
export const ROUND_NOTE_MAX = 2000;
/** Minutes within which a comment may be changed or taken back by whoever made it. */
export const CHANGE_MINUTES = 10;
export const STROKES_MAX = 40;
export const STROKE_POINTS_MAX = 2000;
/** Largest picture that is kept with a comment, bytes. */
export const PICTURE_MAX_BYTES = 400_000;

/** Control characters other than line breaks, and those that turn the direction of what follows. */
const TRICKS =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is being removed
  /[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u200b\u200e\u200f\u202a-\u202e\u2060-\u2069\ufeff]|\p{Surrogate}/gu;

/** The schema of text over several lines that others read: without what cannot be seen or turns the text round. */
export const saidSchema = (what: string, most: number) =>
  z
    .string()
    .max(20 * most, `${what} may have at most ${most} characters.`)
    .transform((t) =>
      t
        .normalize("NFC")
        .replace(/\r\n?/g, "\n")
        .replace(TRICKS, "")
        .replace(/\n{3,}/g, "\n\n")
        .trim(),
    )
    .pipe(z.string().max(most, `${what} may have at most ${most} characters.`));

const finite = z.number().min(-1e9).max(1e9);
/** A place on a part, in the part's own frame, mm: so it stays on it wherever it moves. */
export const PinSchema = z.strictObject({
  node: z.string().min(1).max(2000),
  point: z.tuple([finite, finite, finite]),
});
export type Pin = z.infer<typeof PinSchema>;

/** From where somebody looked: the camera's channels, in their order. */
export const SeenSchema = z.array(finite).length(CAMERA_CHANNELS.length);

/** A line drawn on the picture: x, y as shares of the picture, and pressure from 0 to 1, one after another. */
const StrokeSchema = z
  .array(z.number().min(-2).max(3))
  .min(3)
  .max(3 * STROKE_POINTS_MAX, `A line may have at most ${STROKE_POINTS_MAX} points. Draw it in several.`)
  .refine((l) => l.length % 3 === 0, "A line has three numbers a point.");
export const StrokesSchema = z
  .array(StrokeSchema)
  .max(STROKES_MAX, `At most ${STROKES_MAX} lines can be drawn on a comment.`);

const id = z.string().regex(/^[a-z0-9]{20}$/, "That is nobody's id.");

/** A comment, as whoever makes it sends it. */
export const CommentSchema = z.strictObject({
  /** Made by the sender, so that sending again makes no second one. */
  id,
  /** The comment that is answered; null for one of its own. */
  to: id.nullable(),
  text: saidSchema("A comment", COMMENT_MAX).pipe(z.string().min(1, "Say something first.")),
  step: z.string().min(1).max(64),
  /** Time within the step, ticks, and the end of the stretch it is about; the same for a moment. */
  from: z.int().min(0).max(1e15),
  until: z.int().min(0).max(1e15),
  pin: PinSchema.nullable(),
  seen: SeenSchema.nullable(),
  strokes: StrokesSchema,
});
export type NewComment = z.infer<typeof CommentSchema>;

export const VERDICTS = ["fine", "change"] as const;
export type Verdict = (typeof VERDICTS)[number];
export const DecisionSchema = z.strictObject({ step: z.string().min(1).max(64), verdict: z.enum(VERDICTS) });

/** Somebody who said something. */
export interface Voice {
  /** People of the workspace have their id; guests have one of their own and are marked. */
  id: string;
  name: string;
  guest: boolean;
}

/** A comment as it is read. */
export interface Comment extends Omit<NewComment, "pin" | "seen" | "strokes"> {
  pin: Pin | null;
  seen: number[] | null;
  strokes: number[][];
  by: Voice;
  at: string;
  edited: string | null;
  /** Taken back: text and pin are gone, the answers stay. */
  takenBack: boolean;
  settled: { by: string; at: string; edit: string | null } | null;
  /** The number of the round from which it was carried over; null for this one's own. */
  carriedFrom: number | null;
  /** Whether whoever reads may still change it. */
  mine: boolean;
  /** Whether the frame that it is about is kept as a picture. */
  picture: boolean;
}

/** What somebody decided about a step; later ones overtake earlier ones of the same person. */
export interface Decision {
  step: string;
  verdict: Verdict;
  by: Voice;
  at: string;
  carriedFrom: number | null;
}

/** How a step stands: by what each person said last, "change" of anybody weighs more. */
export type Standing = "fine" | "change" | "open";

/** How each step stands, and the whole: fine only once every step is. */
export function standings(
  steps: readonly string[],
  decisions: readonly Decision[],
): { steps: Map<string, Standing>; whole: Standing } {
  const last = new Map<string, Map<string, Verdict>>();
  for (const d of decisions) {
    const of = last.get(d.step) ?? new Map<string, Verdict>();
    of.set(d.by.id, d.verdict);
    last.set(d.step, of);
  }
  const out = new Map<string, Standing>();
  for (const step of steps) {
    const said = [...(last.get(step)?.values() ?? [])];
    out.set(step, said.includes("change") ? "change" : said.length > 0 ? "fine" : "open");
  }
  const all = [...out.values()];
  const whole = all.includes("change") ? "change" : all.length > 0 && all.every((s) => s === "fine") ? "fine" : "open";
  return { steps: out, whole };
}

/** Everything that is known about a round, for whoever is at it. */
export interface Round {
  id: string;
  /** The document that was sent. */
  sequence: string;
  number: number;
  name: string;
  note: string;
  at: string;
  /** Grows with everything that is said. */
  version: number;
  me: Voice & { may: May };
  /** What changed since the round before; null for the first. */
  changes: { since: number; steps: StepChange[]; gone: string[] } | null;
  /** What each step comes to in it, in order. */
  prints: [step: string, print: StepPrint][];
  comments: Comment[];
  decisions: Decision[];
  /** A later round, for people of the workspace: guests are led where their link leads. */
  newer: { id: string; number: number } | null;
}

/** A round in the list of a project. */
export interface RoundLine {
  id: string;
  sequence: string;
  number: number;
  name: string;
  note: string;
  at: string;
  comments: number;
  open: number;
}
