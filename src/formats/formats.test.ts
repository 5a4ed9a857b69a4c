import { strFromU8, strToU8, unzipSync, zipSync } from "fflate";
import { describe, expect, test } from "vitest";
import { cubePackage, key, sequenceOf } from "../../tests/support/assembly";
import { hashOf, smallProjectFile } from "../../tests/support/project";
import { sound, wav } from "../../tests/support/sound";
import { type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../core/assembly/importSettings";
import { decodePackage, encodePackage, writeGlb } from "../core/assembly/package";
import { emptyPreparation } from "../core/document/preparation";
import { transformPoint } from "../core/math/mat4";
import type { Triple } from "../core/math/triple";
import type { KeptRound } from "../core/review/kept";
import { checkSize, detectFormat } from "./detect";
import { readGlb } from "./gltf/read";
import { ImportError } from "./importError";
import { type ProjectFile, ProjectFileError, readProjectFile, soundsOf, writeProjectFile } from "./out/project/file";
import { readSource } from "./read";
import { checkStepText, stepUnit } from "./step/text";

const text = (s: string) => new TextEncoder().encode(s);
const noKernel = { start: () => Promise.reject(new Error("the kernel was asked for")) };
const message = async (work: Promise<unknown>): Promise<string> => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ImportError);
  return (error as Error).message;
};

/** A triangle as GLB, with the JSON open to damage. */
function triangle(change: (json: Record<string, unknown>) => void = () => {}): Uint8Array {
  const bin = new Uint8Array(48);
  new Float32Array(bin.buffer, 0, 9).set([0, 0, 0, 0.1, 0, 0, 0, 0.1, 0]);
  new Uint16Array(bin.buffer, 36, 3).set([0, 1, 2]);
  const json: Record<string, unknown> = {
    asset: { version: "2.0" },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [
      { name: "Frame", children: [1, 2] },
      { name: "Plate", mesh: 0, translation: [0.01, 0, 0] },
      { name: "Plate", mesh: 0 },
    ],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1, material: 0 }] }],
    materials: [{ pbrMetallicRoughness: { baseColorFactor: [0.2, 0.4, 0.6, 1] } }],
    accessors: [
      { bufferView: 0, componentType: 5126, count: 3, type: "VEC3", min: [0, 0, 0], max: [0.1, 0.1, 0] },
      { bufferView: 1, componentType: 5123, count: 3, type: "SCALAR" },
    ],
    bufferViews: [
      { buffer: 0, byteOffset: 0, byteLength: 36 },
      { buffer: 0, byteOffset: 36, byteLength: 6 },
    ],
    buffers: [{ byteLength: 48 }],
  };
  change(json);
  return writeGlb(json, bin);
}

describe("GLB", () => {
  test("comes in with its tree, in millimetres, meshes shared", async () => {
    const { assembly, geometries } = await readGlb(triangle(), "plate.glb");
    expect(assembly.nodes.map((n) => n.key)).toEqual(["Frame", "Frame/Plate", "Frame/Plate#2"]);
    expect(assembly.up).toBe("y");
    expect(assembly.nodes[1]?.home.slice(12, 15)).toEqual([10, 0, 0]);
    expect(geometries).toHaveLength(1);
    expect(geometries[0]?.bounds.max[0]).toBeCloseTo(100, 4);
    expect(assembly.nodes[1]?.color).toEqual([0.2, 0.4, 0.6, 1]);
  });
  test("our own package is a GLB that comes in again", async () => {
    const { assembly, geometries } = await readGlb(encodePackage(cubePackage()), "small.glb");
    expect(geometries).toHaveLength(1);
    expect(assembly.nodes.filter((n) => n.kind === "part")).toHaveLength(3);
  });
  test.each(["y", "z"] as const)("our own package with %s up stands in another program as it does here", async (up) => {
    const pkg = cubePackage();
    const { assembly } = await readGlb(encodePackage({ ...pkg, assembly: { ...pkg.assembly, up } }), "small.glb");
    const [own, read] = [indexAssembly(pkg.assembly), indexAssembly(assembly)];
    // glTF has Y up: what points up here points along Y there.
    const there = ([x, y, z]: Triple) => (up === "y" ? [x, y, z] : [x, z, -y]);
    // Its own points are metres of the file, and its root makes millimetres of them.
    const placesOf = (index: AssemblyIndex, size: number) =>
      index.assembly.nodes.flatMap((n, i) =>
        n.kind === "part" ? [transformPoint(index.homeWorld, [3 * size, size, -2 * size], 16 * i)] : [],
      );
    expect(assembly.up).toBe("y");
    placesOf(own, 1).forEach((p, i) => {
      const got = placesOf(read, 1000)[i] as Triple;
      for (const [k, v] of there(p).entries()) expect(got[k]).toBeCloseTo(v, 3);
    });
  });
  test("roots side by side come in under one that is nowhere else, and homes are placements and nothing more", async () => {
    const { assembly } = await readGlb(
      triangle((j) => {
        j.scenes = [{ nodes: [1, 2] }];
      }),
      "two plates.glb",
    );
    expect(assembly.nodes.map((n) => n.key)).toEqual(["two plates", "two plates/Plate", "two plates/Plate#2"]);
    expect(assembly.nodes[0]?.home).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
    expect(assembly.nodes[1]?.home).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 10, 0, 0, 1]);
  });
  test("a shape without edges to draw is kept and read as one", () => {
    const pkg = cubePackage();
    const [cube] = pkg.geometries;
    if (!cube) throw new Error("no cube");
    const round = { ...pkg, geometries: [{ ...cube, edges: new Float32Array() }] };
    const read = decodePackage(encodePackage(round));
    expect(read.geometries[0]?.edges).toHaveLength(0);
    expect(read.geometries[0]?.positions).toEqual(cube.positions);
  });
  test("is read from any place in memory", async () => {
    const whole = triangle();
    for (const shifted of [new Uint8Array(whole.length + 1), Buffer.alloc(whole.length + 1)]) {
      shifted.set(whole, 1);
      expect((await readGlb(shifted.subarray(1), "plate.glb")).geometries).toHaveLength(1);
    }
  });
  test.each([
    [
      "an accessor outside its buffer",
      (j: Record<string, unknown>) => (((j.accessors as { count: number }[])[0] as { count: number }).count = 3000),
      /accessor points outside/,
    ],
    [
      "a cycle in its nodes",
      (j: Record<string, unknown>) => ((j.nodes as { children?: number[] }[])[1] = { children: [0] }),
      /cycle/,
    ],
    [
      "a mesh that does not exist",
      (j: Record<string, unknown>) => ((j.nodes as { mesh?: number }[])[1] = { mesh: 9 }),
      /not in the file/,
    ],
    [
      "an extension we lack",
      (j: Record<string, unknown>) =>
        Object.assign(j, { extensionsUsed: ["VENDOR_other_meshes"], extensionsRequired: ["VENDOR_other_meshes"] }),
      /VENDOR_other_meshes, which Plextan does not read/,
    ],
    ["no triangles", (j: Record<string, unknown>) => Object.assign(j, { nodes: [{ name: "empty" }] }), /no triangles/],
  ])("with %s is refused clearly", async (_, damage, words) => {
    expect(await message(readGlb(triangle(damage as (j: Record<string, unknown>) => void), "x.glb"))).toMatch(words);
  });
  test("cut off", async () => {
    const whole = triangle();
    expect(await message(readGlb(whole.slice(0, whole.length - 30), "x.glb"))).toMatch(/cut off|shorter/);
  });
});

describe("what is not a CAD file", () => {
  test("an empty file", async () =>
    expect(await message(readSource(new Uint8Array(), "a.step", noKernel))).toMatch(/empty \(0 bytes\)/));
  test("a text file renamed .step", async () =>
    expect(await message(readSource(text("Dear colleague,\nhere is the list."), "a.step", noKernel))).toMatch(
      /not a STEP file/,
    ));
  test("checked before the kernel is asked", async () => {
    const broken = text("ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=CARTESIAN");
    expect(await message(readSource(broken, "a.step", noKernel))).toMatch(/ends too early/);
    expect(() => checkStepText(text("hello"))).toThrow(/does not begin with "ISO-10303-21;"/);
    expect(() => checkStepText(text("ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=CARTESIAN"))).toThrow(/ends too early/);
    expect(() =>
      checkStepText(text("/* made by x */\nISO-10303-21;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n")),
    ).not.toThrow();
  });
  test("more than was tried is refused by kind", () => {
    expect(() => checkSize(101 * 1024 * 1024, "step")).toThrow(/101 MB; STEP files may have at most 100 MB/);
    expect(() => checkSize(101 * 1024 * 1024, "iges")).toThrow(/101 MB; IGES files may have at most 100 MB/);
    expect(() => checkSize(34 * 1024 * 1024, "glb")).not.toThrow();
  });
  test("an unknown kind", () =>
    expect(() => detectFormat(text("solid x"), "a.docx")).toThrow(
      /Plextan reads STEP, IGES, BREP, glTF, GLB, OBJ, 3MF and STL files; \.\w+ files it does not/,
    ));
  test("a GLB called .step is read as what it is", () => expect(detectFormat(triangle(), "a.step")).toBe("glb"));
  test("units of STEP files", () => {
    expect(stepUnit(text("#9=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));"))).toBe("mm");
    expect(stepUnit(text("#9=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT($,.METRE.));"))).toBe("m");
    expect(stepUnit(text("#7=(CONVERSION_BASED_UNIT('INCH',#8)LENGTH_UNIT()NAMED_UNIT(#5));"))).toBe("in");
  });
});

describe("the project file", () => {
  const project = (): ProjectFile => ({
    name: "Small",
    source: { name: "small part.step", bytes: text("ISO-10303-21; not really") },
    package: encodePackage(cubePackage()),
    settings: IMPORT_DEFAULTS,
    identities: {},
    documents: [
      { kind: "preparation", body: emptyPreparation() },
      { kind: "sequence", body: sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }]) },
    ],
  });
  const zip = (change: (files: Record<string, Uint8Array>) => void) => {
    const files: Record<string, Uint8Array> = {
      "manifest.json": text(
        JSON.stringify({
          format: "plextan-project",
          version: 1,
          name: "x",
          source: { path: "s", name: "s" },
          package: { path: "assembly.glb" },
          documents: [{ kind: "preparation", path: "p.json" }],
        }),
      ),
      "assembly.glb": project().package,
      "p.json": text(JSON.stringify(emptyPreparation())),
      s: text("s"),
    };
    change(files);
    return zipSync(files);
  };
  test("comes back the same, and writes the same bytes again", () => {
    const bytes = writeProjectFile(project());
    const { decoded, ...back } = readProjectFile(bytes);
    expect(back).toEqual(project());
    expect(decoded.assembly).toEqual(cubePackage().assembly);
    expect(writeProjectFile(back)).toEqual(bytes);
  });
  describe("with recordings", () => {
    const bytes = wav(new Float32Array(480).fill(0.5));
    const spoken = () => {
      const s = sequenceOf([{}]);
      s.sounds = { v: sound("v", 0.01, "s0", 0, { asset: hashOf(bytes) }) };
      return s;
    };
    test("comes back the same, as a version that older ones do not open; without them as before", () => {
      const file = smallProjectFile("Small", spoken(), [bytes]);
      const { decoded: _, ...back } = readProjectFile(file);
      expect(back.sounds).toEqual([{ asset: hashOf(bytes), bytes }]);
      expect(soundsOf(back.documents).map((s) => s.name)).toEqual(["v"]);
      expect(writeProjectFile(back)).toEqual(file);
      const version = (f: Uint8Array) =>
        (JSON.parse(strFromU8(unzipSync(f)["manifest.json"] as Uint8Array)) as { version: number }).version;
      expect([version(file), version(smallProjectFile())]).toEqual([2, 1]);
      expect(Object.keys(unzipSync(file)).filter((n) => n.startsWith("sounds/"))).toEqual([
        `sounds/${hashOf(bytes).slice(0, 20)}.wav`,
      ]);
    });
    test("refuses one that lacks a recording, or holds another in its place", () => {
      expect(() => readProjectFile(smallProjectFile("Small", spoken()))).toThrow(/lacks the recording "v" \(v.wav\)/);
      const files = unzipSync(smallProjectFile("Small", spoken(), [bytes]));
      const name = Object.keys(files).find((n) => n.startsWith("sounds/")) as string;
      files[name] = new Uint8Array(wav(new Float32Array(480).fill(0.4)));
      expect(() => readProjectFile(zipSync(files))).toThrow(/is not the sound it was/);
    });
  });
  describe("with rounds of review", () => {
    const voice = { id: "v", name: "Mette", guest: true };
    const said = (id: string, to: string | null = null): KeptRound["comments"][number] => ({
      ...{
        id: id.repeat(20),
        to: to === null ? null : to.repeat(20),
        text: "Further",
        step: "s0",
        from: 5,
        until: 5,
        pin: null,
      },
      ...{ seen: null, strokes: [], by: voice, at: "2026-11-30T10:00:00.000Z", edited: null, takenBack: false },
      ...{ settled: null, carriedFrom: null },
    });
    const round = (change: Partial<KeptRound> = {}): KeptRound => ({
      ...{ document: 1, number: 1, name: "Move", note: "Look", at: "2026-11-30T09:00:00.000Z", fileName: "a.step" },
      ...{ packageSha256: hashOf(project().package), identities: {}, preparation: emptyPreparation() },
      ...{ sequence: sequenceOf([{}]), prints: [["s0", { words: "a", time: "b", motion: "c" }]] },
      comments: [said("a"), said("b", "a")],
      decisions: [{ step: "s0", verdict: "fine", by: voice, at: "2026-11-30T10:00:00.000Z", carriedFrom: null }],
      ...change,
    });
    const older = { ...cubePackage(), assembly: { ...cubePackage().assembly, name: "Older" } };
    const other = encodePackage(older);
    test("comes back the same, with the assemblies that were shown, as a version that older ones do not open", () => {
      const rounds = [round({ packageSha256: hashOf(other) }), round({ number: 2 })];
      const whole = { ...project(), rounds, packages: [{ sha256: hashOf(other), bytes: other }] };
      const file = writeProjectFile(whole);
      const { decoded: _, ...back } = readProjectFile(file);
      expect(back).toEqual(whole);
      expect(writeProjectFile(back)).toEqual(file);
      expect(JSON.parse(strFromU8(unzipSync(file)["manifest.json"] as Uint8Array))).toMatchObject({ version: 3 });
    });
    test.each<[string, Partial<ProjectFile>, RegExp]>([
      [
        "that shows an assembly which is not there",
        { rounds: [round({ packageSha256: "0".repeat(64) })] },
        /lacks the assembly that round 1 shows/,
      ],
      ["of no sequence", { rounds: [round({ document: 0 })] }, /lacks the sequence that was sent as round 1/],
      ["twice", { rounds: [round(), round()] }, /round 1 of a sequence twice/],
      [
        "with an answer to nothing",
        { rounds: [round({ comments: [said("b", "a")] })] },
        /001.json" is not valid: comments answers something/,
      ],
      ["with a comment twice", { rounds: [round({ comments: [said("a"), said("a")] })] }, /holds a comment twice/],
      [
        "with another assembly than was shown",
        {
          rounds: [round({ packageSha256: hashOf(other) })],
          packages: [{ sha256: hashOf(other), bytes: project().package }],
        },
        /is not the assembly it was/,
      ],
    ])("refuses a round %s", (_, change, message) => {
      const refused = () => readProjectFile(writeProjectFile({ ...project(), ...change }));
      expect(refused).toThrow(ProjectFileError);
      expect(refused).toThrow(message);
    });
  });
  test.each([
    ["a path that climbs out", () => zip((f) => Object.assign(f, { "../evil": text("x") })), /leave its folder/],
    ["an absolute path", () => zip((f) => Object.assign(f, { "/etc/x": text("x") })), /leave its folder/],
    [
      "a document of a newer version",
      () => zip((f) => Object.assign(f, { "p.json": text('{"version":9}') })),
      /newer Plextan/,
    ],
    [
      "a newer file version",
      () => zip((f) => Object.assign(f, { "manifest.json": text('{"format":"plextan-project","version":7}') })),
      /newer Plextan \(file version 7/,
    ],
    ["a missing part", () => zip((f) => delete f["assembly.glb"]), /lacks "assembly.glb"/],
    ["damaged JSON", () => zip((f) => Object.assign(f, { "p.json": text("{") })), /"p.json" is not valid JSON/],
    [
      "a package that is none",
      () => zip((f) => Object.assign(f, { "assembly.glb": text("nothing of the kind, really") })),
      /assembly cannot be read/,
    ],
    ["no zip at all", () => text("hello there"), /not a zip/],
    ["nothing", () => new Uint8Array(), /empty/],
    ["a cut-off archive", () => writeProjectFile(project()).slice(0, 500), /damaged/],
  ])("with %s is refused clearly", (_, make, words) => {
    expect(() => readProjectFile(make())).toThrow(ProjectFileError);
    expect(() => readProjectFile(make())).toThrow(words);
  });
  test("one that unpacks to gigabytes is refused before it is unpacked", () => {
    // A megabyte of zeros packs into a kilobyte.
    const big = new Uint8Array(1024 * 1024);
    const one = zipSync({ "a.bin": big }, { level: 1 });
    // The declared size is patched up rather than packing gigabytes: what counts is what the archive says.
    const view = new DataView(one.buffer, one.byteOffset);
    const end = one.length - 22;
    const directory = view.getUint32(end + 16, true);
    view.setUint32(directory + 24, 0xf0000000, true);
    expect(() => readProjectFile(one)).toThrow(/unpack to more than 768 MB/);
  });
  test("names of other alphabets and odd signs are kept inside", () => {
    const p = { ...project(), source: { name: "ポンプ/..\\x.step", bytes: strToU8("x") } };
    expect(readProjectFile(writeProjectFile(p)).source.name).toBe(p.source.name);
  });
});
