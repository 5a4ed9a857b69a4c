import { readFile } from "node:fs/promises";
import { describe, expect, test } from "vitest";
import { indexAssembly } from "../../src/core/assembly/assembly";
import { bodyOf } from "../../src/core/explode/bodies";
import { findCollisions } from "../../src/core/explode/check";
import { planChecked, shiftOf } from "../../src/core/explode/plan";
import { startKernel } from "../../src/formats/step/kernel";
import { readStep } from "../../src/formats/step/solid";

describe("real assemblies", () => {
  test("a third-party assembly: every part comes off, checked between frames; screws before what they hold", async () => {
    const kernel = await startKernel();
    const file = "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp";
    const pkg = readStep(kernel, new Uint8Array(await readFile(file)), "as1.stp");
    const index = indexAssembly(pkg.assembly);
    const leaves = index.assembly.nodes.flatMap((n, i) => (n.geometry >= 0 ? [i] : []));
    const bodies = leaves.map((i) =>
      bodyOf(index.assembly.nodes[i]?.key ?? "", index, pkg.geometries, index.homeWorld, [i]),
    );
    const { plan, collisions: left } = planChecked(bodies, { gap: 12, stagger: 0.4 });
    expect(left).toEqual([]);
    expect(plan.filter((p) => p.why === "stuck")).toEqual([]);
    expect(findCollisions(bodies, shiftOf(plan, 0.4), 150, 0.3)).toEqual([]);
    const order = (pattern: RegExp) => plan.flatMap((p, i) => (pattern.test(bodies[i]?.id ?? "") ? [p.order] : []));
    expect(Math.max(...order(/bracket-assembly_1\/.*(nut|bolt)/))).toBeLessThan(
      Math.min(...order(/bracket-assembly_1\/l-bracket/)),
    );
  }, 120_000);
});
