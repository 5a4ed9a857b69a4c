import type { Key, Move, StepTiming } from "../document/sequence";
import { keysOf } from "../document/sequence";
import type { ExplodedPart } from "../moves/explodedView";
import type { SettingField } from "../moves/kind";
import { moveKindOf } from "../moves/kinds";

/**
 * The one way through a move's numbers: arrivals, a made move's own start and length, repeats, and every setting that
 * its kind calls a time or a length, those inside objects ("attention.length") as well. Whatever scales, shifts or
 * converts goes through here, so that a new setting is never forgotten by one of them.
 */

/** Takes every setting of some types through a function, in place. */
export function mapSettings(move: Move, types: readonly SettingField["type"][], map: (value: number, type: SettingField["type"]) => number): void {
  if (move.kind === "hand") return;
  for (const { name, type } of moveKindOf(move.kind).fields) {
    if (!types.includes(type)) continue;
    const path = name.split(".");
    const last = path.pop() as string;
    let holder = move.settings as Record<string, unknown> | undefined;
    for (const part of path) holder = holder?.[part] as Record<string, unknown> | undefined;
    const value = holder?.[last];
    if (!holder) continue;
    if (typeof value === "number") holder[last] = map(value, type);
    else if (Array.isArray(value)) holder[last] = value.map((v: number) => map(v, type));
  }
}

/** Takes an arrival's times through functions, in place: when it is, and how long what leads to it. */
export function mapKeyTimes(key: Key, at: (ticks: number) => number, length: (ticks: number) => number): void {
  key.at = at(key.at);
  if (key.lead !== "previous") key.lead = length(key.lead);
}

/** Takes every time of a move through functions, in place: moments (ticks in the step's action), and lengths. */
export function mapMoveTimes(move: Move, at: (ticks: number) => number, length: (ticks: number) => number): void {
  for (const key of keysOf(move)) mapKeyTimes(key, at, length);
  if (move.kind !== "hand") {
    move.start = at(move.start);
    move.length = length(move.length);
    // Rests, attention before, leaving after: part of its time.
    mapSettings(move, ["time"], length);
  }
  if (move.repeat?.period) move.repeat.period = length(move.repeat.period);
}

/** Takes every time of a step's timing through a function, in place. */
export function mapStepTimes(step: StepTiming, scaled: (ticks: number) => number): void {
  step.stillBefore = scaled(step.stillBefore);
  step.action = scaled(step.action);
  step.stillAfter = scaled(step.stillAfter);
  for (const move of Object.values(step.moves)) mapMoveTimes(move, scaled, scaled);
}

/** Takes every length and place (mm) among a made move's settings through a function, in place. */
export function mapMoveLengths(move: Move, isSlide: (joint: string) => boolean, map: (mm: number) => number): void {
  mapSettings(move, ["mm", "point"], map);
  if (move.kind === "joint" && move.settings.joints.every(isSlide)) move.settings.value = map(move.settings.value);
  if (move.kind === "explode") for (const part of Object.values(move.settings.parts) as ExplodedPart[]) part.distance = map(part.distance);
}
