import type { TreeDataNode } from "antd";
import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Preparation } from "../../core/document/preparation";

/**
 * A row of the parts tree. Keys: a number for a node, `g:id` for a group, `m:id:node` for a member, `x:key` for a
 * part that is gone.
 */
export type RowKey = string | number;

/** What a row's key stands for. */
export function rowOf(
  key: RowKey,
):
  | { kind: "node"; node: number }
  | { kind: "group"; id: string }
  | { kind: "member"; id: string; node: number }
  | { kind: "gone"; key: string }
  | { kind: "head" } {
  if (typeof key === "number") return { kind: "node", node: key };
  const [head, id, node] = key.split(":") as [string, string, string | undefined];
  if (head === "g") return { kind: "group", id };
  if (head === "m") return { kind: "member", id, node: Number(node) };
  return head === "x" ? { kind: "gone", key: key.slice(2) } : { kind: "head" };
}

/**
 * The tree: groups first, then the assembly, then parts that documents name but this revision lacks. `found` limits
 * it.
 */
export function treeRows(
  index: AssemblyIndex,
  prepared: Preparation["groups"],
  nameOf: (node: number) => string,
  found: ReadonlySet<number> | null,
  gone: readonly string[],
): TreeDataNode[] {
  const make = (i: number): TreeDataNode | null => {
    const below = index.children[i] ?? [];
    const children = below.map(make).filter((c): c is TreeDataNode => c !== null);
    if (found && children.length === 0 && !found.has(i)) return null;
    return { key: i, title: nameOf(i), children, isLeaf: below.length === 0 };
  };
  const groups: TreeDataNode[] = Object.values(prepared).flatMap((g) => {
    const members = g.members.map((k) => index.indexOf.get(k) ?? -1).filter((n) => n >= 0 && (!found || found.has(n)));
    if (found && members.length === 0) return [];
    return [
      {
        key: `g:${g.id}`,
        title: g.name,
        children: members.map((n) => ({ key: `m:${g.id}:${n}`, title: nameOf(n), isLeaf: true })),
      },
    ];
  });
  const lost: TreeDataNode[] =
    gone.length > 0 && !found
      ? [
          {
            key: "gone",
            title: `Not in this revision (${gone.length})`,
            selectable: false,
            children: gone.map((k) => ({
              key: `x:${k}`,
              title: k.split("/").pop() ?? k,
              isLeaf: true,
              selectable: false,
            })),
          },
        ]
      : [];
  return [...groups, ...index.roots.map(make).filter((c): c is TreeDataNode => c !== null), ...lost];
}

/** Keys of the rows as they stand below one another. */
export function visibleKeys(rows: readonly TreeDataNode[], open: ReadonlySet<RowKey> | null): RowKey[] {
  const out: RowKey[] = [];
  const walk = (list: readonly TreeDataNode[]) => {
    for (const row of list) {
      out.push(row.key as RowKey);
      if (row.children && (open === null || open.has(row.key as RowKey))) walk(row.children);
    }
  };
  walk(rows);
  return out;
}
