import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { cubePackage, smallAssembly } from "../../../tests/support/assembly";
import { faceInfo, faceOfTriangle } from "../geometry/geometry";
import { transformPoint } from "../math/mat4";
import { holds, indexAssembly } from "./assembly";
import { cleanName, flattenTree, keySegment, type RawNode } from "./build";
import { decodePackage, encodePackage, PackageError } from "./package";

const leaf = (name: string): RawNode => ({
  name,
  home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
  geometry: 0,
  color: null,
  children: [],
});

describe("keys", () => {
  test("are paths of names; siblings of one name are told apart", () => {
    const nodes = flattenTree(
      [{ ...leaf("top"), geometry: -1, children: [leaf("screw"), leaf("screw"), leaf("plate")] }],
      [],
    );
    expect(nodes.map((n) => n.key)).toEqual(["top", "top/screw", "top/screw#2", "top/plate"]);
    expect(nodes.map((n) => n.kind)).toEqual(["assembly", "part", "part", "part"]);
  });
  test("cannot be confused by what names hold", () => {
    expect(keySegment("a/b#2%", 1)).toBe("a%2Fb%232%25");
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 6 }), { minLength: 1, maxLength: 12 }), (names) => {
        const keys = flattenTree(names.map(leaf), []).map((n) => n.key);
        expect(new Set(keys).size).toBe(keys.length);
      }),
    );
  });
  test("a name of 5,000 characters is shortened and said so; HTML and other alphabets stay text", () => {
    const warnings: string[] = [];
    const [long, html, kana] = flattenTree(
      [leaf("x".repeat(5000)), leaf("<img src=x onerror=alert(1)>"), leaf("ポンプ")],
      warnings,
    );
    expect(long?.name.length).toBe(200);
    expect(warnings).toEqual(["1 name was longer than 200 characters and shortened."]);
    expect(html?.name).toBe("<img src=x onerror=alert(1)>");
    expect(kana?.name).toBe("ポンプ");
    expect(cleanName(" \n ", "Part").name).toBe("Part");
  });
});

describe("the index", () => {
  const index = indexAssembly(smallAssembly());
  test("knows children, depth and what holds what", () => {
    expect(index.children).toEqual([[1, 4], [2, 3], [], [], []]);
    expect([...index.depth]).toEqual([0, 1, 2, 2, 1]);
    expect(holds(index, 1, 3)).toBe(true);
    expect(holds(index, 1, 4)).toBe(false);
  });
  test("chains the transforms: a point of a part through the turned arm", () => {
    // a is 20 along the arm's x; the arm is a quarter turn about z at x = 100: (100, 20, 0).
    expect(transformPoint(index.homeWorld, [0, 0, 0], 32)).toEqual([100, 20, 0]);
    expect(Array.from(index.worldBounds.subarray(12, 18))).toEqual([95, 15, -5, 105, 25, 5]);
  });
  test("refuses a child before its parent and a key given twice", () => {
    const bad = smallAssembly();
    (bad.nodes[1] as { parent: number }).parent = 3;
    expect(() => indexAssembly(bad)).toThrow(/comes before its parent/);
    const twice = smallAssembly();
    (twice.nodes[4] as { key: string }).key = "root/arm";
    expect(() => indexAssembly(twice)).toThrow(/have the key/);
  });
});

describe("the package", () => {
  const bytes = encodePackage(cubePackage());
  test("comes back the same", () => {
    const back = decodePackage(bytes);
    expect(back).toEqual(cubePackage());
    expect(encodePackage(back)).toEqual(bytes);
  });
  test("is a valid GLB for anyone", async () => {
    const { validateBytes } = await import("gltf-validator");
    const report = (await validateBytes(bytes)) as {
      issues: { numErrors: number; messages: { code: string; severity: number }[] };
    };
    expect(report.issues.messages.filter((m) => m.severity === 0)).toEqual([]);
  });
  test("reads from an unaligned place too", () => {
    const shifted = new Uint8Array(bytes.length + 3);
    shifted.set(bytes, 3);
    expect(decodePackage(shifted.subarray(3))).toEqual(cubePackage());
  });
  test("damage is found, wherever it is", () => {
    expect(() => decodePackage(new Uint8Array(10))).toThrow(PackageError);
    for (const cut of [30, 200, bytes.length - 64])
      expect(() => decodePackage(bytes.slice(0, cut))).toThrow(PackageError);
    const text = new TextDecoder("latin1").decode(bytes);
    const broken = text.replace(/"positions":\[\d+,/, '"positions":[9999999,');
    expect(broken).not.toBe(text);
    const length = new DataView(bytes.buffer).getUint32(12, true);
    const json = broken.slice(20, broken.indexOf("}}}", 20) + 3);
    const out = bytes.slice();
    const encoded = new TextEncoder().encode(json.padEnd(length, " ").slice(0, length));
    out.set(encoded, 20);
    expect(() => decodePackage(out)).toThrow(PackageError);
  });
  test("feature edges of a cube are its twelve, and faces are found from triangles", () => {
    const g = decodePackage(bytes).geometries[0];
    expect((g?.edges.length ?? 0) / 6).toBe(12);
    expect(faceOfTriangle(g?.faces ?? new Float64Array(), 5)).toBe(2);
    expect(faceOfTriangle(g?.faces ?? new Float64Array(), 12)).toBe(-1);
    expect(faceInfo(g?.faces ?? new Float64Array(), 1)).toMatchObject({ kind: "plane", axis: [1, 0, 0], color: null });
  });
});
