import type { AssemblyIndex } from "../assembly/assembly";
import type { Preparation } from "../document/preparation";
import { invertedAffine, setIdentity } from "../math/mat4";

/** A group as the program moves it. */
export interface GroupEntry {
  id: string;
  /** Members that are in the assembly, those left out that lie below another member. */
  members: readonly number[];
}

/** The groups with members in the assembly, and for each node the number of its group or -1. */
export function listGroups(
  index: AssemblyIndex,
  preparation: Preparation,
): { list: GroupEntry[]; groupOf: Int32Array } {
  const groupOf = new Int32Array(index.assembly.nodes.length).fill(-1);
  const list: GroupEntry[] = [];
  for (const group of Object.values(preparation.groups)) {
    const wanted = new Set<number>();
    for (const key of group.members) {
      const node = index.indexOf.get(key);
      if (node !== undefined) wanted.add(node);
    }
    const members: number[] = [];
    for (const node of [...wanted].sort((a, b) => a - b)) {
      let above = index.assembly.nodes[node]?.parent ?? -1;
      while (above >= 0 && !wanted.has(above)) above = index.assembly.nodes[above]?.parent ?? -1;
      if (above >= 0) continue;
      members.push(node);
      groupOf[node] = list.length;
    }
    if (members.length > 0) list.push({ id: group.id, members });
  }
  return { list, groupOf };
}

const parents = new WeakMap<AssemblyIndex, Map<number, { home: Float64Array; back: Float64Array }>>();

/** Home transform of a node's parent (assembly frame) and its inverse; made once. The identity for a root. */
export function parentHome(index: AssemblyIndex, node: number): { home: Float64Array; back: Float64Array } {
  let known = parents.get(index);
  if (!known) {
    known = new Map();
    parents.set(index, known);
  }
  const parent = index.assembly.nodes[node]?.parent ?? -1;
  let found = known.get(parent);
  if (!found) {
    const home = new Float64Array(16);
    if (parent < 0) setIdentity(home);
    else home.set(index.homeWorld.subarray(16 * parent, 16 * parent + 16));
    found = { home, back: Float64Array.from(invertedAffine(home)) };
    known.set(parent, found);
  }
  return found;
}
