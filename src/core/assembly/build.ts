import type { Assembly, AssemblyNode } from "./assembly";
import { NAME_MAX } from "./assembly";

/** A tree as a reader finds it, before keys are given. */
export interface RawNode {
  name: string;
  home: number[];
  geometry: number;
  color: [number, number, number, number] | null;
  children: RawNode[];
}

/** One segment of a key: "/", "#" and "%" inside names are escaped so that a path can be taken apart again. */
export function keySegment(name: string, occurrence: number): string {
  const safe = name.replace(/[%/#]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);
  return occurrence === 1 ? safe : `${safe}#${occurrence}`;
}

/**
 * Makes a name from a file showable: control characters out, spaces trimmed, at most {@link NAME_MAX} characters.
 * @returns the name, and whether it had to be shortened.
 */
export function cleanName(name: string, fallback: string): { name: string; shortened: boolean } {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is being removed
  const clean = name.replace(/[\u0000-\u001f\u007f]/g, " ").trim();
  if (clean === "") return { name: fallback, shortened: false };
  const letters = Array.from(clean);
  if (letters.length <= NAME_MAX) return { name: clean, shortened: false };
  return {
    name: `${letters
      .slice(0, NAME_MAX - 1)
      .join("")
      .trimEnd()}…`,
    shortened: true,
  };
}

/** Flattens a raw tree, parents first, giving every node its key. Adds a warning when names had to be shortened. */
export function flattenTree(roots: RawNode[], warnings: string[]): AssemblyNode[] {
  const nodes: AssemblyNode[] = [];
  let shortened = 0;
  const walk = (list: RawNode[], parent: number, path: string) => {
    const seen = new Map<string, number>();
    for (const raw of list) {
      const clean = cleanName(raw.name, raw.children.length > 0 ? "Assembly" : "Part");
      if (clean.shortened) shortened++;
      const occurrence = (seen.get(clean.name) ?? 0) + 1;
      seen.set(clean.name, occurrence);
      const segment = keySegment(clean.name, occurrence);
      const key = path === "" ? segment : `${path}/${segment}`;
      const index = nodes.length;
      nodes.push({
        key,
        name: clean.name,
        parent,
        kind: raw.geometry >= 0 && raw.children.length === 0 ? "part" : "assembly",
        home: raw.home,
        geometry: raw.geometry,
        color: raw.color,
      });
      walk(raw.children, index, key);
    }
  };
  walk(roots, -1, "");
  if (shortened > 0)
    warnings.push(
      `${shortened} name${shortened === 1 ? " was" : "s were"} longer than ${NAME_MAX} characters and shortened.`,
    );
  return nodes;
}

/** Counts for a summary. */
export function countNodes(assembly: Assembly): { parts: number; assemblies: number; triangles: number } {
  let parts = 0;
  let triangles = 0;
  for (const node of assembly.nodes) {
    if (node.kind === "part") parts++;
    if (node.geometry >= 0) triangles += assembly.geometries[node.geometry]?.triangles ?? 0;
  }
  return { parts, assemblies: assembly.nodes.length - parts, triangles };
}
