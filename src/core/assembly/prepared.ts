import type { Preparation } from "../document/preparation";
import { multiplied } from "../math/mat4";
import type { Assembly, AssemblyNode } from "./assembly";

const COPY = "~copy-";
/** Key of a copy of a part: no occurrence from CAD is called so. */
export const copyKey = (of: string, id: string) => `${of}${COPY}${id}`;
/** The key that the assembly itself has for a node: that of the original where it is a copy, or lies in one. */
export const originalKey = (key: string) => key.replace(/~copy-[A-Za-z0-9_-]+/, "");

/**
 * The assembly as it is prepared: with the copies of parts that the animator made, each beside its original in the
 * tree and with all below it, and with the homes that were moved. What the assembly no longer has is left out. The
 * same object where nothing of that was prepared.
 */
export function preparedAssembly(assembly: Assembly, preparation: Pick<Preparation, "nodes" | "copies">): Assembly {
  const homes = new Map(
    Object.entries(preparation.nodes).flatMap(([key, n]) => (n.home ? [[key, n.home] as const] : [])),
  );
  const copies = new Map<string, { id: string; name: string }[]>();
  for (const { id, of, name } of Object.values(preparation.copies))
    copies.set(of, [...(copies.get(of) ?? []), { id, name }]);
  if (homes.size === 0 && copies.size === 0) return assembly;
  const below = new Map<number, number[]>();
  assembly.nodes.forEach((n, i) => {
    below.set(n.parent, [...(below.get(n.parent) ?? []), i]);
  });
  const nodes: AssemblyNode[] = [];
  const add = (at: number, parent: number, rename: (key: string) => string, name: string | null) => {
    const node = assembly.nodes[at] as AssemblyNode;
    const key = rename(node.key);
    const home = homes.get(key);
    const mine =
      nodes.push({
        ...node,
        key,
        parent,
        name: name ?? node.name,
        home: home ? multiplied(home, node.home) : node.home,
      }) - 1;
    for (const child of below.get(at) ?? []) {
      add(child, mine, rename, null);
      // A copy is copied whole, but what was copied inside of it is not copied again.
      if (key === node.key) addCopies(child, mine);
    }
  };
  const addCopies = (at: number, parent: number) => {
    const { key } = assembly.nodes[at] as AssemblyNode;
    for (const { id, name } of copies.get(key) ?? [])
      add(at, parent, (k) => copyKey(key, id) + k.slice(key.length), name);
  };
  for (const root of below.get(-1) ?? []) {
    add(root, -1, (k) => k, null);
    addCopies(root, -1);
  }
  return { ...assembly, nodes };
}

/** Whether two preparations make the same assembly of one from CAD. */
export function sameAssembly(
  a: Pick<Preparation, "nodes" | "copies">,
  b: Pick<Preparation, "nodes" | "copies">,
): boolean {
  if (a.copies !== b.copies && JSON.stringify(a.copies) !== JSON.stringify(b.copies)) return false;
  if (a.nodes === b.nodes) return true;
  for (const [key, n] of Object.entries(a.nodes)) if (!same(n.home, b.nodes[key]?.home)) return false;
  for (const [key, n] of Object.entries(b.nodes)) if (n.home && !a.nodes[key]?.home) return false;
  return true;
}

const same = (a: readonly number[] | undefined, b: readonly number[] | undefined) =>
  a === b || (a !== undefined && b !== undefined && a.every((v, k) => v === b[k]));

/** Keys of the copies, which are not there until something brings them up. */
export function copyKeys(preparation: Pick<Preparation, "copies">): string[] {
  return Object.values(preparation.copies).map((c) => copyKey(c.of, c.id));
}
