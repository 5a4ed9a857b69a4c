import { describe, expect, test } from "vitest";
import { cubePackage, preparation } from "../../../tests/support/assembly";
import { indexAssembly } from "./assembly";
import { findParts, isEmptyFilter, NO_FILTER, partSize, similarParts } from "./finding";

const pkg = cubePackage();
const index = indexAssembly(pkg.assembly);
const { nodes } = pkg.assembly;
const keys = (list: readonly number[]) => list.map((i) => nodes[i]?.key);

describe("finding parts", () => {
  const prepared = { ...preparation(), nodes: { [nodes[2]?.key as string]: { name: "Hex screw M4", locked: true } } };
  test("by words in any order, in names as given by hand", () => {
    expect(keys(findParts(index, prepared, { ...NO_FILTER, text: "m4 SCREW" }))).toEqual([nodes[2]?.key]);
    expect(findParts(index, prepared, { ...NO_FILTER, text: "no such thing" })).toEqual([]);
    expect(findParts(index, prepared, NO_FILTER)).toHaveLength(nodes.length);
    expect([isEmptyFilter(NO_FILTER), isEmptyFilter({ ...NO_FILTER, maxMm: 3 })]).toEqual([true, false]);
  });
  test("by size: parts only, limits included", () => {
    const size = partSize(index, 2);
    expect(size).toBeGreaterThan(0);
    const parts = nodes.flatMap((n, i) => (n.geometry >= 0 ? [i] : []));
    expect(findParts(index, prepared, { ...NO_FILTER, minMm: size, maxMm: size })).toEqual(
      parts.filter((i) => partSize(index, i) === size),
    );
    expect(findParts(index, prepared, { ...NO_FILTER, maxMm: size / 2 })).toEqual([]);
  });
  test("by state", () => {
    expect(keys(findParts(index, prepared, { ...NO_FILTER, state: "locked" }))).toEqual([nodes[2]?.key]);
    const grouped = { ...prepared, groups: { g: { id: "g", name: "G", members: [nodes[3]?.key as string] } } };
    expect(keys(findParts(index, grouped, { ...NO_FILTER, state: "grouped" }))).toEqual([nodes[3]?.key]);
  });
  test("by likeness: shape, size, owner, finish", () => {
    const first = nodes.findIndex((n) => n.geometry >= 0);
    for (const by of ["shape", "size"] as const)
      expect(similarParts(index, prepared, [first], by)).toEqual(nodes.flatMap((n, i) => (n.geometry >= 0 ? [i] : [])));
    const owned = similarParts(index, prepared, [first], "owner");
    expect(owned.every((i) => nodes[i]?.parent === nodes[first]?.parent)).toBe(true);
    const painted = {
      ...prepared,
      nodes: {
        [nodes[first]?.key as string]: {
          finish: { color: "#123456", roughness: 1, metalness: 0, opacity: 1, emissive: "#000000", glow: 0 },
        },
      },
    };
    expect(similarParts(index, painted, [first], "finish")).toEqual([first]);
  });
});
