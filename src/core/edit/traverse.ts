import type { Key, Move, StepTiming, Target } from "../document/sequence";
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
export function mapSettings(
  move: Move,
  types: readonly SettingField["type"][],
  map: (value: number, type: SettingField["type"]) => number,
): void {
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
  if (move.kind === "explode")
    for (const part of Object.values(move.settings.parts) as ExplodedPart[]) part.distance = map(part.distance);
}

/** A move in its step, as a reversed one names its original. */
export interface OriginalRef {
  step: string;
  move: string;
}

/** Every part, group or camera that a move names: what it acts on, and what its settings speak of. */
export function namedTargets(move: Move): Target[] {
  const out: Target[] = [];
  mapTargets(move, (t) => {
    out.push(t);
    return t;
  });
  return out;
}

/**
 * Takes everything that a move names through a function, in place: its targets, and parts among its settings, alone or
 * in lists. What the function gives null for is left out of lists, and is nothing where it stood alone; a hand-keyed
 * move, which has one target, keeps it.
 */
export function mapTargets(move: Move, map: (target: Target) => Target | null): void {
  if (move.kind === "hand") {
    move.target = map(move.target) ?? move.target;
    return;
  }
  move.targets = move.targets.flatMap((t) => map(t) ?? []);
  const settings = move.settings as Record<string, unknown>;
  for (const [name, value] of Object.entries(settings)) {
    if (isTarget(value)) settings[name] = map(value);
    else if (Array.isArray(value) && value.length > 0 && value.every(isTarget))
      settings[name] = value.flatMap((t) => map(t) ?? []);
  }
}

const isTarget = (value: unknown): value is Target =>
  typeof value === "object" && value !== null && "type" in value && ("key" in value || "id" in value);

/** What a move's settings name by id besides: the camera that is cut to, and the original of a reversed move. */
export interface NamedIds {
  camera?: (id: string) => string;
  original?: (of: OriginalRef) => OriginalRef;
}

/** Takes ids that a move's settings name through functions, in place. */
export function mapIds(move: Move, { camera, original }: NamedIds): void {
  if (move.kind === "camera-cut" && camera) move.settings.camera = camera(move.settings.camera);
  if (move.kind === "back" && original) move.settings.of = { ...original(move.settings.of) };
}

/** Whether a move names a camera: moves it, or cuts to it. */
export function namesCamera(move: Move, id: string): boolean {
  let found = namedTargets(move).some((t) => t.type === "camera" && t.id === id);
  mapIds(move, {
    camera: (c) => {
      found ||= c === id;
      return c;
    },
  });
  return found;
}
