import type { z } from "zod";
import type { Look } from "../document/looks";
import type { Output } from "../document/outputs";
import type { Program } from "../program/program";
import { stepRange } from "./range";

/** A setting as it is shown; see the views of outputs. */
export interface OutputField {
  name: string;
  label: string;
  type: "whole" | "number" | "switch" | "choice" | "rate" | "look" | "text";
  unit?: string;
  min?: number;
  /** Of a text: letters. */
  max?: number;
  step?: number;
  options?: readonly { value: string | number; label: string }[];
  hint?: string;
  /** Shown only where the other settings make it matter. */
  when?(settings: Readonly<Record<string, unknown>>): boolean;
}

/** What an output would come to. */
export interface OutputPlan {
  /** Pixels; 0 where nothing is drawn. */
  width: number;
  height: number;
  frames: number;
  seconds: number;
  /** Expected size of the file, bytes. */
  bytes: number;
}

/** Something about an output that is wrong, and keeps it from being made, or should be looked at. */
export interface OutputRemark {
  tone: "wrong" | "look";
  text: string;
}

/** What an output is planned and made from. */
export interface OutputContext {
  program: Program;
  /** The part that is made, ticks. */
  range: { from: number; to: number };
  looks: Readonly<Record<string, Look>>;
}

/** A kind of output. A new one is a file beside this one, a line in `kinds.ts`, and its maker. */
export interface OutputKind<S extends object = object> {
  id: string;
  title: string;
  /** What it is for, in one sentence. */
  about: string;
  /** Whether it is pictures that can be looked at before they are made. */
  draws: boolean;
  /** Whether it can be looked at as its reader will have it before it is made. */
  looks?: boolean;
  /** Whether only a browser can make it, also where it is no picture itself. */
  needsBrowser?: boolean;
  schema: z.ZodType<S>;
  /** Settings of a new one. */
  defaults(program: Program): S;
  fields: readonly OutputField[];
  /** File name's ending, with its dot, and media type. */
  file(settings: S): { ending: string; type: string };
  plan(settings: S, c: OutputContext): OutputPlan;
  remarks(settings: S, c: OutputContext): OutputRemark[];
}

/** Lets a kind's type of settings be worked out where it is defined. */
export const outputKind = <S extends object>(kind: OutputKind<S>): OutputKind<S> => kind;

/**
 * The settings of an output as its kind takes them: what is not as it should be is as in a new one, and is named.
 */
export function settingsOf<S extends object>(
  kind: OutputKind<S>,
  output: Pick<Output, "settings">,
  program: Program,
): { settings: S; replaced: string[] } {
  const usual = kind.defaults(program);
  const first = kind.schema.safeParse({ ...usual, ...output.settings });
  if (first.success) return { settings: first.data, replaced: [] };
  const wrong = new Set(first.error.issues.map((i) => String(i.path[0] ?? "")));
  const kept = Object.fromEntries(Object.entries(output.settings).filter(([name]) => !wrong.has(name)));
  return { settings: kind.schema.parse({ ...usual, ...kept }), replaced: [...wrong] };
}

/** The context that an output is made in; null where what it is made of is gone. */
export function contextOf(
  output: Pick<Output, "range">,
  program: Program,
  looks: OutputContext["looks"],
): OutputContext | null {
  const range = stepRange(output.range, program);
  return range && { program, range, looks };
}
