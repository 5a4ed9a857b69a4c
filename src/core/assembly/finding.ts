import type { Preparation } from "../document/preparation";
import type { AssemblyIndex } from "./assembly";

/** What parts are looked for by; what is left out does not matter. */
export interface PartFilter {
  /**
   * Words that the name must all contain, in any order; case does not matter. Commas part alternatives: "bolt, nut".
   */
  text: string;
  /** Largest extent of the part itself at home, mm: at least and at most. */
  minMm: number | null;
  maxMm: number | null;
  /** A state in the preparation, or nothing given. */
  state: "any" | "hidden" | "locked" | "ghost" | "grouped" | "jointed" | "own-finish";
}
export const NO_FILTER: PartFilter = { text: "", minMm: null, maxMm: null, state: "any" };

/** True when a filter lets everything through. */
export function isEmptyFilter(f: PartFilter): boolean {
  return f.text.trim() === "" && f.minMm === null && f.maxMm === null && f.state === "any";
}

/** Longest edge of a node's own bounds in its geometry's frame, mm; 0 for a sub-assembly. */
export function partSize(index: AssemblyIndex, node: number): number {
  const box = index.assembly.geometries[index.assembly.nodes[node]?.geometry ?? -1]?.bounds;
  return box ? Math.max(box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]) : 0;
}

/** The nodes that a filter lets through, in order. A limit of size lets parts through only. */
export function findParts(index: AssemblyIndex, preparation: Preparation, filter: PartFilter): number[] {
  const alternatives = filter.text
    .toLowerCase()
    .split(",")
    .map((part) => part.split(/\s+/).filter(Boolean))
    .filter((words) => words.length > 0);
  const grouped = new Set(Object.values(preparation.groups).flatMap((g) => g.members));
  const jointed = new Set(
    Object.values(preparation.joints).flatMap((j) => (j.target.type === "node" ? [j.target.key] : [])),
  );
  const out: number[] = [];
  index.assembly.nodes.forEach((node, i) => {
    const entry = preparation.nodes[node.key];
    const name = (entry?.name ?? node.name).toLowerCase();
    if (alternatives.length > 0 && !alternatives.some((words) => words.every((w) => name.includes(w)))) return;
    if (filter.minMm !== null || filter.maxMm !== null) {
      if (node.geometry < 0) return;
      const size = partSize(index, i);
      if ((filter.minMm !== null && size < filter.minMm) || (filter.maxMm !== null && size > filter.maxMm)) return;
    }
    const has = {
      any: true,
      hidden: entry?.hidden === true,
      locked: entry?.locked === true,
      ghost: entry?.ghost === true,
      grouped: grouped.has(node.key),
      jointed: jointed.has(node.key),
      "own-finish": entry?.finish !== undefined,
    }[filter.state];
    if (has) out.push(i);
  });
  return out;
}

/** Ways in which parts can be like another. */
export const LIKENESS = ["shape", "size", "finish", "owner"] as const;
export type Likeness = (typeof LIKENESS)[number];

/** Sizes count as alike within this share. */
const SIZE_TOLERANCE = 0.1;

/**
 * Parts that are like any of the given ones: the same shared shape, a like size, the same finish (own, else the CAD
 * colour), or in the same sub-assembly. The given ones are among them.
 */
export function similarParts(
  index: AssemblyIndex,
  preparation: Preparation,
  given: readonly number[],
  by: Likeness,
): number[] {
  const { nodes } = index.assembly;
  const finish = (i: number) => {
    const node = nodes[i];
    return JSON.stringify(
      preparation.nodes[node?.key ?? ""]?.finish ?? node?.color?.map((v) => Math.round(v * 1000)) ?? null,
    );
  };
  const parts = nodes.flatMap((n, i) => (n.geometry >= 0 ? [i] : []));
  const chosen = new Set(given);
  const like = {
    shape: () => {
      const shapes = new Set(given.map((i) => nodes[i]?.geometry ?? -1).filter((g) => g >= 0));
      return (i: number) => shapes.has(nodes[i]?.geometry ?? -1);
    },
    size: () => {
      const sizes = given.map((i) => partSize(index, i)).filter((s) => s > 0);
      return (i: number) => sizes.some((s) => Math.abs(partSize(index, i) - s) <= SIZE_TOLERANCE * s);
    },
    finish: () => {
      const finishes = new Set(given.filter((i) => (nodes[i]?.geometry ?? -1) >= 0).map(finish));
      return (i: number) => finishes.has(finish(i));
    },
    owner: () => {
      const owners = new Set(given.map((i) => nodes[i]?.parent ?? -1));
      return (i: number) => owners.has(nodes[i]?.parent ?? -1);
    },
  }[by]();
  return [...new Set([...parts.filter(like), ...chosen])].sort((a, b) => a - b);
}
