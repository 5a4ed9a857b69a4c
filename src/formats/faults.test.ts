import fc from "fast-check";
import { strToU8, zipSync } from "fflate";
import { describe, expect, test } from "vitest";
import { cubePackage } from "../../tests/support/assembly";
import { smallProjectFile } from "../../tests/support/project";
import { checkPackage } from "../core/assembly/checkPackage";
import { IMPORT_DEFAULTS } from "../core/assembly/importSettings";
import { type AssemblyPackage, encodePackage, PackageError, writeGlb } from "../core/assembly/package";
import { emptyPreparation } from "../core/document/preparation";
import { nth } from "../core/math/packed";
import { crc32, readDirectory, unpackEntry, ZipError } from "./archive/zip";
import { ImportError } from "./importError";
import { ProjectFileError, readProjectFile } from "./out/project/file";
import { readSource } from "./read";
import { decodeText, parseNumber } from "./text";
import { asImportError } from "./unexpected";

const noKernel = { start: () => Promise.reject(new Error("the kernel was asked for")) };
const read = (data: string | Uint8Array, name: string) =>
  readSource(typeof data === "string" ? strToU8(data) : data, name, noKernel, undefined, IMPORT_DEFAULTS);
const refusal = async (work: Promise<unknown>): Promise<string> => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ImportError);
  return (error as Error).message;
};
const triangles = (pkg: AssemblyPackage) => pkg.assembly.geometries.reduce((n, g) => n + g.triangles, 0);

describe("OBJ as it is found", () => {
  const plain = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n";
  const utf16 = (text: string, little: boolean, mark: boolean) => {
    const out = new Uint8Array(2 * text.length + (mark ? 2 : 0));
    const view = new DataView(out.buffer);
    if (mark) view.setUint16(0, 0xfeff, little);
    for (let i = 0; i < text.length; i++) view.setUint16(2 * i + (mark ? 2 : 0), text.charCodeAt(i), little);
    return out;
  };
  test.each([
    ["lines that go on", plain.replaceAll("v 0 1 0", "v 0 \\\n 1 \\\n0").replace("f 1 3 2", "f 1 \\\n3 2")],
    ["lines ended by a carriage return alone", plain.replaceAll("\n", "\r")],
    ["lines ended by both", plain.replaceAll("\n", "\r\n")],
    ["UTF-16 with its mark", utf16(plain, true, true)],
    ["UTF-16 the other way round", utf16(plain, false, true)],
    ["UTF-16 without a mark", utf16(plain, true, false)],
  ])("with %s comes in whole", async (_, data) => {
    const pkg = await read(data, "a.obj");
    expect([triangles(pkg), pkg.assembly.warnings]).toEqual([4, []]);
  });
  test.each([
    ["a face of two corners", `${plain}f 1 2\n`, /line 9 has a face of 2 corners/],
    ["a vertex cut off", `${plain}v 1 2`, /line 9 holds "", which is not a usable number/],
    ["a number that fits no double", plain.replace("v 1 0 0", "v 1e999 0 0"), /line 2 holds "1e999"/],
    ["a word for a number", plain.replace("v 1 0 0", "v nan 0 0"), /line 2 holds "nan"/],
    [
      "a face of a hundred thousand corners",
      `${plain}f ${"1 2 3 ".repeat(33_334)}\n`,
      /100002 corners; 4096 can be read/,
    ],
    [
      "a texture point that is not there",
      plain.replace("f 1 3 2", "f 1/9 2/9 3/9"),
      /texture point 9, and there are 0/,
    ],
  ])("with %s is refused with the line", async (_, data, words) =>
    expect(await refusal(read(data, "a.obj"))).toMatch(words),
  );
  test("what looks cut off is said", async () => {
    expect((await read(`${plain}v 5 5 5\nv 6 6 6\n`, "a.obj")).assembly.warnings[0]).toMatch(
      /last 2 of 6 vertices are used by no face/,
    );
    expect((await read(plain.trimEnd(), "a.obj")).assembly.warnings[0]).toMatch(/ends in the middle of its last line/);
  });
});

describe("STL that disagrees with itself", () => {
  const facet = (corners: number) =>
    `facet normal 0 0 1\nouter loop\n${["0 0 0", "1 0 0", "0 1 0", "1 1 0"]
      .slice(0, corners)
      .map((v) => `vertex ${v}\n`)
      .join("")}endloop\nendfacet\n`;
  const binary = (announced: number, there: number, tail = 0) => {
    const out = new Uint8Array(84 + 50 * there + tail);
    const view = new DataView(out.buffer);
    view.setUint32(80, announced, true);
    for (let i = 0; i < there; i++)
      for (const [k, v] of [0, 0, 0, 1, 0, 0, 0, 1, i].entries()) view.setFloat32(84 + 50 * i + 12 + 4 * k, v, true);
    return out;
  };
  test("more triangles than announced are not dropped in silence", async () => {
    expect(await refusal(read(binary(1, 50), "a.stl"))).toMatch(/announces 1 triangles, 50 are there/);
    const pkg = await read(binary(3, 3, 7), "a.stl");
    expect([triangles(pkg), pkg.assembly.warnings[0]]).toEqual([
      3,
      "The file goes on for 7 bytes after its last triangle; they were left out.",
    ]);
  });
  test("a facet of four corners, of two, one inside another, one that is not closed", async () => {
    const solid = (body: string) => `solid a\n${facet(3)}${body}endsolid a\n`;
    expect(await refusal(read(solid(facet(4)), "a.stl"))).toMatch(
      /has a facet of 4 corners; there must be three \(line 16\)/,
    );
    expect(await refusal(read(solid(facet(2)), "a.stl"))).toMatch(/facet of 2 corners/);
    expect(await refusal(read(solid(`facet normal 0 0 1\n${facet(3)}`), "a.stl"))).toMatch(/inside another/);
    expect(await refusal(read(solid("facet normal 0 0 1\nouter loop\n"), "a.stl"))).toMatch(
      /not closed \(after 1 facets\)/,
    );
    expect(
      triangles(await read(solid(facet(3).replaceAll("\n", " ")).replaceAll("\n", "\r"), "a.stl")),
    ).toBeGreaterThan(0);
  });
});

describe("3MF", () => {
  const CUBE =
    '<vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles>';
  const model = (resources: string, item = 1, unit = "millimeter") =>
    zipSync({
      "3D/3dmodel.model": strToU8(
        `<model unit="${unit}"><resources>${resources}</resources><build><item objectid="${item}"/></build></model>`,
      ),
    });
  const body = `<object id="1"><mesh>${CUBE}</mesh></object>`;
  const doubled = (levels: number) =>
    body +
    Array.from(
      { length: levels },
      (_, i) =>
        `<object id="${i + 2}"><components>${`<component objectid="${i + 1}"/>`.repeat(2)}</components></object>`,
    ).join("");
  test("that doubles thirty times is refused before anything is built", async () => {
    expect(await refusal(read(model(doubled(30), 31), "a.3mf"))).toMatch(
      /places more than a thousand million parts.*250,000 can be taken/,
    );
    expect(await refusal(read(model(doubled(17), 18), "a.3mf"))).toMatch(/places 262,143 parts/);
    expect((await read(model(doubled(3), 4), "a.3mf")).assembly.nodes.filter((n) => n.kind === "part")).toHaveLength(8);
  });
  test("that contains itself, or nests without end", async () => {
    expect(
      await refusal(
        read(model(`${body}<object id="2"><components><component objectid="2"/></components></object>`, 2), "a.3mf"),
      ),
    ).toMatch(/contains itself/);
    const chain =
      body +
      Array.from(
        { length: 300 },
        (_, i) => `<object id="${i + 2}"><components><component objectid="${i + 1}"/></components></object>`,
      ).join("");
    expect(await refusal(read(model(chain, 301), "a.3mf"))).toMatch(/deeper than 100 levels/);
    expect(await refusal(read(model(`${"<a>".repeat(50_000)}${"</a>".repeat(50_000)}`), "a.3mf"))).toMatch(
      /nests elements deeper/,
    );
  });
  test("an empty corner, a missing coordinate and an unknown unit are noticed", async () => {
    expect(await refusal(read(model(body.replace('v2="1"', 'v2=""')), "a.3mf"))).toMatch(/vertex that does not exist/);
    expect(await refusal(read(model(body.replace('x="1" ', "")), "a.3mf"))).toMatch(
      /vertex 2 of an object has no usable x/,
    );
    expect(await refusal(read(model(body.replace('x="1"', 'x="Infinity"')), "a.3mf"))).toMatch(
      /no usable x \("Infinity"\)/,
    );
    expect((await read(model(body, 1, "furlong"), "a.3mf")).assembly.warnings[0]).toMatch(
      /names the unit "furlong".*taken as millimetres/,
    );
  });
});

/** A quad of four points, drawn in some mode. */
const quad = (mode: number, corners: number[], change: (json: Record<string, unknown>) => void = () => {}) => {
  const bin = new Uint8Array(64);
  new Float32Array(bin.buffer, 0, 12).set([0, 0, 0, 0.1, 0, 0, 0, 0.1, 0, 0.1, 0.1, 0]);
  new Uint16Array(bin.buffer, 48, corners.length).set(corners);
  const json: Record<string, unknown> = {
    asset: { version: "2.0" },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ name: "Plate", mesh: 0 }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1, mode }] }],
    accessors: [
      { bufferView: 0, componentType: 5126, count: 4, type: "VEC3", min: [0, 0, 0], max: [0.1, 0.1, 0] },
      { bufferView: 1, componentType: 5123, count: corners.length, type: "SCALAR" },
    ],
    bufferViews: [
      { buffer: 0, byteOffset: 0, byteLength: 48 },
      { buffer: 0, byteOffset: 48, byteLength: 2 * corners.length },
    ],
    buffers: [{ byteLength: 64 }],
  };
  change(json);
  return writeGlb(json, bin);
};

describe("glTF", () => {
  /** Which way the triangles face: z of their normals. */
  const facing = ({ geometries: [g] }: AssemblyPackage) => {
    const out: number[] = [];
    for (let i = 0; i < (g?.indices.length ?? 0); i += 3) {
      const p = [0, 1, 2].map((k) => 3 * (g?.indices[i + k] as number));
      const e = (a: number, k: number) =>
        (g?.positions[nth(p, a) + k] as number) - (g?.positions[nth(p, 0) + k] as number);
      out.push(Math.sign(e(1, 0) * e(2, 1) - e(1, 1) * e(2, 0)));
    }
    return out;
  };
  test.each([
    ["triangles", 4, [0, 1, 2, 1, 3, 2]],
    ["a strip", 5, [0, 1, 2, 3]],
    ["a fan", 6, [0, 1, 3, 2]],
  ])("%s come in as the same two triangles, all facing one way", async (_, mode, corners) =>
    expect(facing(await read(quad(mode, corners), "a.glb"))).toEqual([1, 1]),
  );
  test("lines beside surfaces are said to be left out", async () => {
    const mixed = quad(5, [0, 1, 2, 3], (j) =>
      (j.meshes as { primitives: object[] }[])[0]?.primitives.push({ attributes: { POSITION: 0 }, mode: 1 }),
    );
    const pkg = await read(mixed, "a.glb");
    expect([triangles(pkg), pkg.assembly.warnings]).toEqual([
      2,
      ["1 set of points or lines was left out: only surfaces are drawn."],
    ]);
  });
  test("the first version is called by its name", async () => {
    expect(await refusal(read(JSON.stringify({ asset: { version: "1.0" }, nodes: {} }), "a.gltf"))).toMatch(
      /This is glTF 1.0, an older form/,
    );
    expect(await refusal(read(JSON.stringify({ nodes: { a: {} }, scenes: {} }), "a.gltf"))).toMatch(/glTF 1.0/);
    const glb = quad(4, [0, 1, 2]);
    new DataView(glb.buffer).setUint32(4, 1, true);
    expect(await refusal(read(glb, "a.glb"))).toMatch(/GLB 1, an older form/);
  });
  test("nodes without end, with two owners, in a circle, or too many", async () => {
    const nodes = (list: object[]) =>
      read(
        quad(4, [0, 1, 2], (j) => Object.assign(j, { nodes: list })),
        "a.glb",
      );
    expect(
      await refusal(
        nodes(Array.from({ length: 5000 }, (_, i) => ({ mesh: 0, ...(i < 4999 ? { children: [i + 1] } : {}) }))),
      ),
    ).toMatch(/nests deeper than 198 levels/);
    expect(await refusal(nodes([{ children: [1, 2] }, { children: [2] }, { mesh: 0 }]))).toMatch(
      /node 2 has two owners/,
    );
    expect(await refusal(nodes([{ mesh: 0 }, { children: [2] }, { children: [1] }]))).toMatch(/cycle/);
    expect(await refusal(nodes(Array.from({ length: 250_001 }, () => ({ mesh: 0 }))))).toMatch(/places 250,001 parts/);
    const deep = quad(4, [0, 1, 2], (j) =>
      Object.assign(j, { extras: JSON.parse(`${"[".repeat(3000)}${"]".repeat(3000)}`) }),
    );
    expect(await refusal(read(deep, "a.glb"))).toMatch(/nests deeper than 100 levels/);
  });
});

describe("archives", () => {
  const zip = zipSync({ "a.txt": strToU8("hello hello hello hello"), "b.txt": [strToU8("stored"), { level: 0 }] });
  test("are read as they were written", () => {
    const { entries } = readDirectory(zip);
    expect(entries.map((e) => [e.name, new TextDecoder().decode(unpackEntry(zip, e))])).toEqual([
      ["a.txt", "hello hello hello hello"],
      ["b.txt", "stored"],
    ]);
    expect(crc32(strToU8("123456789"))).toBe(0xcbf43926);
  });
  test("of which one bit is wrong are noticed, or read as if it were right", () => {
    for (let bit = 0; bit < zip.length * 8; bit++) {
      const bad = zip.slice();
      bad[bit >> 3] = nth(bad, bit >> 3) ^ (1 << (bit & 7));
      try {
        const { entries } = readDirectory(bad, true);
        const texts = entries.map((e) => new TextDecoder().decode(unpackEntry(bad, e)));
        expect([entries.length, ...texts]).toEqual([2, "hello hello hello hello", "stored"]);
      } catch (error) {
        if (!(error instanceof ZipError)) throw error;
      }
    }
  });
});

describe("a project file", () => {
  const whole = smallProjectFile();
  test("of which any single bit is wrong is refused", () => {
    const silent: number[] = [];
    for (let bit = 0; bit < whole.length * 8; bit++) {
      const bad = whole.slice();
      bad[bit >> 3] = nth(bad, bit >> 3) ^ (1 << (bit & 7));
      try {
        readProjectFile(bad);
        silent.push(bit);
      } catch (error) {
        if (!(error instanceof ProjectFileError)) throw error;
      }
    }
    expect(silent).toEqual([]);
  });
  const manifest = (documents: { kind: string; path: string }[]) =>
    strToU8(
      JSON.stringify({
        format: "plextan-project",
        version: 1,
        name: "x",
        source: { path: "s", name: "s" },
        package: { path: "assembly.glb" },
        documents,
      }),
    );
  const made = (documents: { kind: string; path: string }[], pkg = encodePackage(cubePackage())) =>
    zipSync({
      "manifest.json": manifest(documents),
      "assembly.glb": pkg,
      "p.json": strToU8(JSON.stringify(emptyPreparation())),
      s: strToU8("s"),
    });
  test.each([
    [
      "two preparations",
      [
        { kind: "preparation", path: "p.json" },
        { kind: "preparation", path: "p.json" },
      ],
      /holds 2 preparations; there must be one/,
    ],
    ["no sequence", [{ kind: "preparation", path: "p.json" }], /holds no sequence/],
  ])("with %s is refused", (_, documents, words) => expect(() => readProjectFile(made(documents))).toThrow(words));
  test("packed again by hand is taken by its check sums, and refused when one is wrong", () => {
    const { entries } = readDirectory(whole);
    const again = zipSync(Object.fromEntries(entries.map((e) => [e.name, unpackEntry(whole, e)])));
    expect(readProjectFile(again).name).toBe("Small");
    const at = readDirectory(again).entries.find((e) => e.name === "assembly.glb");
    const bad = again.slice();
    bad[(at?.offset ?? 0) + 60] = nth(bad, (at?.offset ?? 0) + 60) ^ 4;
    expect(() => readProjectFile(bad)).toThrow(/is damaged/);
  });
});

describe("what a package may hold", () => {
  const broken = (change: (pkg: AssemblyPackage) => void) => {
    const pkg = structuredClone(cubePackage());
    change(pkg);
    return () => checkPackage(pkg);
  };
  test.each([
    [
      "a coordinate that is none",
      (p: AssemblyPackage) => ((p.geometries[0] as { positions: Float32Array }).positions[4] = Number.NaN),
      /a coordinate that is not a number/,
    ],
    [
      "a normal without end",
      (p: AssemblyPackage) => ((p.geometries[0] as { normals: Float32Array }).normals[4] = Number.POSITIVE_INFINITY),
      /a normal that is not a number/,
    ],
    [
      "a corner that is not there",
      (p: AssemblyPackage) => ((p.geometries[0] as { indices: Uint32Array }).indices[4] = 4000),
      /names a corner that is not there/,
    ],
    [
      "a shape that is not there",
      (p: AssemblyPackage) => ((p.assembly.nodes[1] as { geometry: number }).geometry = 7),
      /names a shape that is not there/,
    ],
    [
      "faces that leave triangles out",
      (p: AssemblyPackage) => ((p.geometries[0] as { faces: Float64Array }).faces[1] = 1),
      /face table/,
    ],
    [
      "a placement that is none",
      (p: AssemblyPackage) => ((p.assembly.nodes[1] as { home: number[] }).home[12] = Number.NaN),
      /placement of .* holds a number that is none/,
    ],
  ])("%s is found", (_, change, words) => {
    expect(broken(change)).toThrow(PackageError);
    expect(broken(change)).toThrow(words);
  });
  test("the small assembly is sound", () => expect(broken(() => {})).not.toThrow());
});

test("what nobody foresaw becomes a sentence with a code, the same each time", () => {
  const one = asImportError(new TypeError("x is not a function"), "OBJ").message;
  expect(one).toMatch(/^The file made the reader stumble \(code OBJ-[0-9A-Z]{3}\)/);
  expect(asImportError(new TypeError("x is not a function"), "OBJ").message).toBe(one);
  expect(one).not.toContain("is not a function");
  expect(asImportError(new RangeError("Maximum call stack size exceeded"), "GLB").message).toMatch(/too deeply/);
  expect(asImportError(new RangeError("Array buffer allocation failed"), "GLB").message).toMatch(
    /more memory than there is/,
  );
});

test("numbers are read as they are written, or not at all", () => {
  fc.assert(fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (v) => parseNumber(String(v)) === v));
  for (const bad of [undefined, "", "nan", "inf", "1e999", "0x10", "1,5", "1.2.3", "--1", "1e"])
    expect(parseNumber(bad)).toBeNaN();
  expect(decodeText(strToU8("a\r\nb\rc"))).toBe("a\nb\nc");
});
