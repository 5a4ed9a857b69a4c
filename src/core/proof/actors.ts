import type { Target } from "../document/sequence";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import type { Pose } from "../program/sampling";
import { actsOn, isOn, spanOf } from "../program/spans";
import type { StepContext } from "./check";
import type { Shapes } from "./shapes";

/** A part that acts in a step, from its own first move to its last. Ticks of the sequence. */
export interface Actor {
  node: number;
  geometry: number;
  target: Target;
  from: number;
  to: number;
  /** Corners of its hull, own frame. */
  hull: Float64Array;
  middle: Triple;
  radius: number;
  /** Frames in which it was looked at, in which it was out, and the largest it was. */
  frames: number;
  out: number;
  firstOut: number;
  lastOut: number;
  whollyOut: boolean;
  largest: number;
}

/** What acts in a step and has a shape. */
export function actorsOf(context: StepContext, shapes: Shapes): Actor[] {
  const { program, step, action } = context;
  const found = new Map<number, Actor>();
  for (const move of Object.values(step.moves)) {
    if (!isOn(step, move) || move.kind === "label" || move.kind === "dimension") continue;
    const span = spanOf(move, program.sequence);
    for (const target of move.kind === "attention" ? move.targets : actsOn(move, program.sequence)) {
      if (target.type !== "node" && target.type !== "group") continue;
      for (const root of program.nodesOf(target))
        for (let node = root; node < nth(program.index.end, root); node++) {
          const geometry = shapes.geometryOf(node);
          if (geometry < 0 || program.hidden[node]) continue;
          const known = found.get(node);
          const [from, to] = [action + span.t0, action + span.t1];
          if (known) {
            known.from = Math.min(known.from, from);
            known.to = Math.max(known.to, to);
            continue;
          }
          const actor: Actor = {
            node,
            geometry,
            target,
            from,
            to,
            hull: shapes.hullOf(geometry),
            middle: [0, 0, 0],
            radius: 0,
            frames: 0,
            out: 0,
            firstOut: -1,
            lastOut: -1,
            whollyOut: false,
            largest: 0,
          };
          shapes.sphereOf(geometry, actor);
          found.set(node, actor);
        }
    }
  }
  return [...found.values()];
}

/** Whether a part is there to be seen in a pose. */
export const shown = (at: Pose, node: number) => at.visible[node] === 1 && nth(at.opacity, node) > 0.05;
