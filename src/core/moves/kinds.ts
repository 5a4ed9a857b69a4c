import { Refusal } from "../text/refusal";
import { appear, leave } from "./appear";
import { attention } from "./attention";
import { back } from "./back";
import { cameraCut, cameraFit, cameraFollow, cameraPush, cameraRoll, cameraShift } from "./camera";
import { cameraLens } from "./cameraLens";
import { cameraOrbit, turntable } from "./cameraOrbit";
import { explode } from "./explodedView";
import { changeLook, driveJoint, goToPose } from "./joint";
import { type MoveKind, madeSchema } from "./kind";
import { dimension, label } from "./labels";
import { slide } from "./slide";
import { grow, stretch } from "./stretch";
import { takeOff } from "./takeOff";
import { indexing, turn, unscrew } from "./turn";

/** Every kind of ready-made move, in the order in which they are offered. A new kind is a module and a line here. */
const KINDS = [
  takeOff,
  back,
  slide,
  turn,
  unscrew,
  driveJoint,
  goToPose,
  explode,
  attention,
  label,
  dimension,
  appear,
  leave,
  indexing,
  stretch,
  grow,
  changeLook,
  cameraFit,
  cameraOrbit,
  cameraPush,
  cameraShift,
  cameraFollow,
  turntable,
  cameraLens,
  cameraRoll,
  cameraCut,
] as const;

type SchemaOf<T> = T extends MoveKind<infer K, infer S> ? ReturnType<typeof madeSchema<K, S>> : never;
type Schemas<T extends readonly unknown[]> = { -readonly [I in keyof T]: SchemaOf<T[I]> };

/** Schemas of their moves. `map` cannot say that each is of its own kind. */
export const MADE_SCHEMAS = KINDS.map((k) => madeSchema(k as unknown as MoveKind)) as unknown as Schemas<typeof KINDS>;

/** Here the types of settings are given up: whoever has a kind by its name checks what it is given by its schema. */
export const MOVE_KINDS = KINDS as unknown as readonly MoveKind[];
const byName = new Map(MOVE_KINDS.map((k) => [k.kind, k]));

/** A kind by its name. @throws Refusal for an unknown one. */
export function moveKindOf(kind: string): MoveKind {
  const found = byName.get(kind);
  if (!found) throw new Refusal("no-such-move", { kind });
  return found;
}
