import type { Step } from "../document/sequence";
import { nth } from "../math/packed";
import type { Program } from "../program/program";
import { actsOn, isOn } from "../program/spans";
import { nodeName } from "../text/names";

/** A part of which a step uses so many. */
export interface PartUsed {
  name: string;
  quantity: number;
}

/** Moves that only point at parts, or stand beside them. */
const POINTING: ReadonlySet<string> = new Set(["attention", "label", "dimension"]);

/**
 * What a step moves, as a list of parts: each part or sub-assembly that a move acts on, the members of groups; those of
 * one name and shape together. In the order of the tree.
 */
export function partsUsed(program: Program, step: Step): PartUsed[] {
  const { index, sequence } = program;
  const found = new Set<number>();
  for (const move of Object.values(step.moves)) {
    if (!isOn(step, move) || POINTING.has(move.kind)) continue;
    for (const target of actsOn(move, sequence))
      if (target.type === "node" || target.type === "group") for (const n of program.nodesOf(target)) found.add(n);
  }
  // What lies within something that is used itself belongs to it.
  const list = [...found].sort((a, b) => a - b);
  const outermost = list.filter((n) => !list.some((m) => m < n && n < nth(index.end, m)));
  const counted = new Map<string, PartUsed>();
  for (const node of outermost) {
    const name = nodeName(program, node);
    const key = `${name}\u0000${shapeOf(program, node)}`;
    const known = counted.get(key);
    if (known) known.quantity++;
    else counted.set(key, { name, quantity: 1 });
  }
  return [...counted.values()];
}

/** What tells two of one name apart: their geometry, or how many parts they hold. */
function shapeOf({ index }: Program, node: number): string {
  const geometry = index.assembly.nodes[node]?.geometry ?? -1;
  return geometry >= 0 ? `g${geometry}` : `n${nth(index.end, node) - node}`;
}
