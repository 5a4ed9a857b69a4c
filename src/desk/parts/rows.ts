import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Preparation } from "../../core/document/preparation";

/**
 * A row of the parts tree. Keys: a number for a node, `g:id` for a group, `m:id:node` for a member, `x:key` for a
 * part that is gone, `gone` for what stands above those.
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

/** A row as it stands in the tree. */
export interface TreeRow {
  key: RowKey;
  /** Levels above it. */
  depth: number;
  /** Whether the rows below it are shown; null where there are none. */
  open: boolean | null;
}

/** What the tree is made of. */
export interface TreeParts {
  index: AssemblyIndex;
  groups: Preparation["groups"];
  /** What a search limits it to; null for all. What is found is shown with all that stands above it, open. */
  found: readonly number[] | null;
  /** Keys of parts that documents name but this revision lacks. */
  gone: readonly string[];
  /** Keys of the rows that were opened; in a search, which shows all open, of those that were closed. */
  turned: ReadonlySet<RowKey>;
}

/**
 * The rows of the tree as they stand below one another, without those in closed ones: groups first, then the assembly,
 * then parts that are gone.
 */
export function treeRows({ index, groups, found, gone, turned }: TreeParts): TreeRow[] {
  const rows: TreeRow[] = [];
  const shown = found && withAbove(index, found);
  const all = found && new Set(found);
  const isOpen = (key: RowKey) => (found !== null) !== turned.has(key);
  for (const g of Object.values(groups)) {
    const members: number[] = [];
    for (const key of g.members) {
      const node = index.indexOf.get(key);
      if (node !== undefined && (!all || all.has(node))) members.push(node);
    }
    if (all && members.length === 0) continue;
    const key = `g:${g.id}`;
    rows.push({ key, depth: 0, open: members.length === 0 ? null : isOpen(key) });
    if (isOpen(key)) for (const n of members) rows.push({ key: `m:${g.id}:${n}`, depth: 1, open: null });
  }
  const walk = (list: readonly number[], depth: number) => {
    for (const node of list) {
      if (shown && !shown.has(node)) continue;
      const below = index.children[node] ?? [];
      const has = shown ? below.some((c) => shown.has(c)) : below.length > 0;
      rows.push({ key: node, depth, open: has ? isOpen(node) : null });
      if (has && isOpen(node)) walk(below, depth + 1);
    }
  };
  walk(index.roots, 0);
  if (gone.length > 0 && !found) {
    rows.push({ key: "gone", depth: 0, open: isOpen("gone") });
    if (isOpen("gone")) for (const k of gone) rows.push({ key: `x:${k}`, depth: 1, open: null });
  }
  return rows;
}

/** Nodes, and all that stand above them. */
function withAbove(index: AssemblyIndex, nodes: readonly number[]): ReadonlySet<number> {
  const out = new Set<number>();
  for (const node of nodes)
    for (let at = node; at >= 0 && !out.has(at); at = index.assembly.nodes[at]?.parent ?? -1) out.add(at);
  return out;
}

/** The nodes of rows from one to another, in their order; none where a row is not there. */
export function nodesBetween(rows: readonly TreeRow[], from: RowKey, to: RowKey): number[] {
  const [a, b] = [rows.findIndex((r) => r.key === from), rows.findIndex((r) => r.key === to)];
  if (a < 0 || b < 0) return [];
  const nodes = rows.slice(Math.min(a, b), Math.max(a, b) + 1).flatMap(({ key }) => {
    const row = rowOf(key);
    return row.kind === "node" || row.kind === "member" ? [row.node] : [];
  });
  return [...new Set(nodes)];
}

/** What a key does in the tree: goes to another row, opens or closes the one it is at, or chooses it. */
export type KeyAct = { to: number } | { toggle: RowKey } | { choose: RowKey; more: boolean };

/**
 * What a key does in a tree, as in trees everywhere: up and down, to either end, right opens or goes in, left closes or
 * goes out, Enter chooses, and with Ctrl held Space one more or one less.
 * @param at row that keys are at; -1 for none @param code as the keyboard tells it, with `Ctrl+` before @returns null for any other key
 */
export function keyAct(rows: readonly TreeRow[], at: number, code: string): KeyAct | null {
  const last = rows.length - 1;
  const row = rows[at];
  if (last < 0) return null;
  switch (code) {
    case "ArrowDown":
      return { to: Math.min(last, at + 1) };
    case "ArrowUp":
      return { to: at < 0 ? last : Math.max(0, at - 1) };
    case "Home":
      return { to: 0 };
    case "End":
      return { to: last };
    case "ArrowRight":
      if (row?.open === false) return { toggle: row.key };
      return row?.open ? { to: at + 1 } : null;
    case "ArrowLeft": {
      if (row?.open) return { toggle: row.key };
      for (let above = at - 1; row && above >= 0; above--)
        if ((rows[above] as TreeRow).depth < row.depth) return { to: above };
      return null;
    }
    case "Enter":
    case "NumpadEnter":
      return row ? { choose: row.key, more: false } : null;
    case "Ctrl+Space":
      return row ? { choose: row.key, more: true } : null;
    default:
      return null;
  }
}
