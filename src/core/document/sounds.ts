import { z } from "zod";

const id = z.string().min(1).max(40);
const ticks = z.number().finite().min(0);

export const SOUND_NAME_MAX = 120;
/** Loudest and softest that a sound can be set to, dB; the softest is silence. */
export const VOLUME_MOST = 12;
export const VOLUME_LEAST = -60;
/** Most that music is lowered under a voice, dB. */
export const DUCK_MOST = 40;

/**
 * A recording at its place: a voice that belongs to a step and moves along with it, or music, which may lie under the
 * whole sequence. Its bytes are an asset of the project.
 */
export const SoundSchema = z
  .object({
    id,
    name: z.string().min(1, "A recording needs a name.").max(SOUND_NAME_MAX),
    /** SHA-256 of the file, hex. */
    asset: z.string().regex(/^[0-9a-f]{64}$/, "is not the hash of a file"),
    /** The file's name as it was brought in. */
    file: z.string().min(1).max(255),
    /** Length of the file, ticks. */
    length: ticks.positive(),
    role: z.enum(["voice", "music"]),
    /** The step it belongs to; null from the sequence's beginning on. */
    step: id.nullable(),
    /** When it begins, ticks from the start of its step. */
    at: ticks,
    /** What is heard of the file, ticks of the file. */
    from: ticks,
    to: ticks.positive(),
    /** dB; 0 leaves it as recorded. */
    volume: z.number().min(VOLUME_LEAST).max(VOLUME_MOST),
    /** How long it takes to come and to go, ticks. */
    fadeIn: ticks,
    fadeOut: ticks,
    /** How much softer it is while a voice speaks, dB; 0 leaves it. */
    duck: z.number().min(0).max(DUCK_MOST),
    /** Begins again until the sequence ends. */
    repeat: z.boolean(),
    on: z.boolean(),
  })
  .refine((s) => s.from < s.to && s.to <= s.length, { path: ["to"], message: "lies outside the file" });
export type Sound = z.infer<typeof SoundSchema>;
