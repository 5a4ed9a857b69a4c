import { type AssemblyIndex, emptyBounds, unionBounds } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { Preparation } from "../document/preparation";
import { multiplyAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";

/**
 * The point a target turns about: a node's in its parent's home frame, a group's in the assembly's, mm. As prepared,
 * else the middle of the bounds at home.
 */
export function pivotOf(index: AssemblyIndex, preparation: Preparation, target: PartTarget): Triple {
  if (target.type === "group") {
    const group = preparation.groups[target.id];
    if (group?.pivot) return group.pivot;
    const box = new Float64Array(6);
    emptyBounds(box);
    for (const key of group?.members ?? []) {
      const node = index.indexOf.get(key);
      if (node !== undefined) unionBounds(box, 0, index.worldBounds, 6 * node);
    }
    return nth(box, 0) <= nth(box, 3)
      ? ([0, 1, 2].map((k) => (nth(box, k) + nth(box, 3 + k)) / 2) as Triple)
      : [0, 0, 0];
  }
  const node = index.indexOf.get(target.key);
  const entry = node === undefined ? undefined : index.assembly.nodes[node];
  if (node === undefined || !entry) return [0, 0, 0];
  const prepared = preparation.nodes[entry.key]?.pivot;
  if (prepared) return prepared.in === "parent" ? prepared.at : transformPoint(entry.home, prepared.at);
  return middleInParent(index, node);
}

/**
 * Middle of a subtree's bounds at home, measured in the parent's home frame (not in the world's, where boxes grow
 * under rotation).
 */
export function middleInParent(index: AssemblyIndex, node: number): Triple {
  const { nodes, geometries } = index.assembly;
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  const local = new Map<number, Float64Array>();
  for (let i = node; i < nth(index.end, node); i++) {
    const entry = nodes[i];
    if (!entry) continue;
    const m = new Float64Array(16);
    const above = i === node ? null : local.get(entry.parent);
    if (above) multiplyAffine(m, 0, above, 0, index.homeLocal, 16 * i);
    else m.set(entry.home);
    local.set(i, m);
    const box = entry.geometry >= 0 ? geometries[entry.geometry]?.bounds : undefined;
    if (!box) continue;
    for (let corner = 0; corner < 8; corner++) {
      const p = transformPoint(m, [
        (corner & 1 ? box.max : box.min)[0],
        (corner & 2 ? box.max : box.min)[1],
        (corner & 4 ? box.max : box.min)[2],
      ]);
      for (let k = 0; k < 3; k++) {
        min[k] = Math.min(nth(min, k), nth(p, k));
        max[k] = Math.max(nth(max, k), nth(p, k));
      }
    }
  }
  if (!(nth(min, 0) <= nth(max, 0))) {
    const home = nodes[node]?.home;
    return [home?.[12] ?? 0, home?.[13] ?? 0, home?.[14] ?? 0];
  }
  return [0, 1, 2].map((k) => (nth(min, k) + nth(max, k)) / 2) as Triple;
}
