import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallAssembly } from "../../../tests/support/assembly";
import { parseDocument } from "../document/parse";
import { runCommand } from "../edit/history";
import { addCopy, removeCopy, setFinish, setHome } from "../edit/preparationCommands";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { indexAssembly } from "./assembly";
import { copyKey, preparedAssembly, sameAssembly } from "./prepared";

const assembly = smallAssembly();
const run = (p: ReturnType<typeof preparation>, c: Parameters<typeof runCommand<ReturnType<typeof preparation>>>[1]) =>
  runCommand(p, c).document;
const shift = (x: number, y: number, z: number) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];

describe("the assembly as prepared", () => {
  test("is the very one from CAD where nothing was copied or moved", () => {
    expect(preparedAssembly(assembly, preparation())).toBe(assembly);
  });
  test("a copy stands beside its original with all below it, and is not seen until something brings it up", () => {
    const p = run(preparation(), addCopy("fresh", "root/arm", "Fresh arm"));
    const made = preparedAssembly(assembly, p);
    const at = "root/arm~copy-fresh";
    expect(made.nodes.map((n) => n.key)).toEqual([
      "root",
      "root/arm",
      "root/arm/a",
      "root/arm/b",
      at,
      `${at}/a`,
      `${at}/b`,
      "root/base",
    ]);
    const index = indexAssembly(made);
    const [a, b] = [index.indexOf.get("root/arm/a") as number, index.indexOf.get(`${at}/a`) as number];
    expect(Array.from(index.homeWorld.subarray(16 * b, 16 * b + 16))).toEqual(
      Array.from(index.homeWorld.subarray(16 * a, 16 * a + 16)),
    );
    const s = sequenceOf([{ [at]: [key("v", 1, 0, { visible: 1 })] }]);
    const program = compile(index, p, s);
    const out = createPose(program);
    for (const [t, seen] of [
      [0, 0],
      [1.4, 0],
      [1.6, 1],
    ] as const) {
      pose(program, seconds(t), out);
      expect(out.visible[b]).toBe(seen);
      expect(out.visible[a]).toBe(1);
    }
  });
  test("a copy takes the finish along, and leaves nothing behind when it goes", () => {
    const painted = run(
      preparation(),
      setFinish(["root/arm/a"], {
        color: "#112233",
        roughness: 0.4,
        metalness: 0,
        opacity: 1,
        emissive: "#000000",
        glow: 0,
      }),
    );
    const p = run(painted, addCopy("fresh", "root/arm", "Fresh arm"));
    expect(p.nodes["root/arm~copy-fresh/a"]?.finish?.color).toBe("#112233");
    expect(run(p, removeCopy("fresh"))).toEqual(painted);
    expect(() => run(p, addCopy("again", copyKey("root/arm", "fresh"), "No"))).toThrow("a copy itself");
  });
  test("copies of what the assembly no longer has are left out, and stay in the document", () => {
    const p = run(preparation(), addCopy("fresh", "root/gone", "Fresh"));
    expect(preparedAssembly(assembly, p).nodes).toHaveLength(5);
    expect(Object.keys(p.copies)).toEqual(["fresh"]);
  });
  test("moving a home moves every arrival by the same offset, and back again bit for bit", () => {
    const s = sequenceOf([
      { "root/arm": [key("a", 1, 1, { "slide.x": 30 }), key("b", 2, 1, { "turn.z": 0, "slide.y": 12 })] },
    ]);
    const p = run(preparation(), setHome("root/arm", shift(5, -2, 9)));
    const [i0, i1] = [indexAssembly(assembly), indexAssembly(preparedAssembly(assembly, p))];
    const [a, b] = [compile(i0, preparation(), s), compile(i1, p, s)];
    const [pa, pb] = [createPose(a), createPose(b)];
    const n = 16 * (i0.indexOf.get("root/arm/b") as number);
    for (let t = 0; t <= a.steps.length; t += seconds(0.25)) {
      pose(a, t, pa);
      pose(b, t, pb);
      expect([12, 13, 14].map((k) => Math.round((nth(pb.world, n + k) - nth(pa.world, n + k)) * 1e9) / 1e9)).toEqual([
        5, -2, 9,
      ]);
    }
    expect(preparedAssembly(assembly, run(p, setHome("root/arm", null)))).toBe(assembly);
  });
  test("changes of anything else make no other assembly", () => {
    const p = run(preparation(), setHome("root/arm", shift(1, 0, 0)));
    const painted = run(p, setFinish(["root/arm/a"], null));
    expect(sameAssembly(p, painted)).toBe(true);
    expect(sameAssembly(p, preparation())).toBe(false);
    expect(sameAssembly(preparation(), p)).toBe(false);
    expect(sameAssembly(p, run(p, setHome("root/arm", shift(2, 0, 0))))).toBe(false);
    expect(sameAssembly(p, run(p, addCopy("c", "root/arm", "C")))).toBe(false);
  });
  test("documents from before have no copies", () => {
    const { copies: _none, ...old } = preparation();
    expect(parseDocument("preparation", { ...old, version: 2 }).copies).toEqual({});
  });
});
