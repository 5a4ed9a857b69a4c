import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import path from "node:path";
import { beforeAll, describe, expect, test } from "vitest";
import { indexAssembly } from "../../src/core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../../src/core/assembly/importSettings";
import type { AssemblyPackage } from "../../src/core/assembly/package";
import { FACE_STRIDE, faceInfo } from "../../src/core/geometry/geometry";
import { nth } from "../../src/core/math/packed";
import { packBundle } from "../../src/formats/bundle/bundle";
import { ImportError } from "../../src/formats/importError";
import { readSource } from "../../src/formats/read";
import { startKernel } from "../../src/formats/step/kernel";
import type { NativeReader } from "../../src/formats/step/solid";
import { findNative, nativeReader } from "../../src/server/kernel/native";
import { expectSamePackage } from "../support/samePackage";

/** Another reader of the same files, with its own mesher settings and its own way through the assembly. */
interface OtherReader {
  ReadStepFile(
    bytes: Uint8Array,
    options: object | null,
  ): { success: boolean; meshes: { attributes: { position: { array: number[] } }; index: { array: number[] } }[] };
}
const ROOT = "node_modules/occt-import-js/test/testfiles";
const list = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((e) =>
    e.isDirectory()
      ? list(path.join(folder, e.name))
      : /\.(stp|step)$/i.test(e.name)
        ? [path.join(folder, e.name)]
        : [],
  );
const files = list(ROOT).map((f) => path.relative(ROOT, f));
/** Sets whose parts lie in files of their own: folder and master. */
const SETS: [string, string][] = [
  ["cax-if/s1-c5-214", "s1-c5-214.stp"],
  ["cax-if/s1-tu-203", "s1-tu-203.stp"],
  ["cax-if/s1_pe_214", "s1_pe_214.stp"],
];
let other: OtherReader;
beforeAll(async () => {
  const make = createRequire(path.join(process.cwd(), "package.json"))("occt-import-js") as () => Promise<OtherReader>;
  other = await make();
  await startKernel();
});
/** What the system's kernel could not read. */
const refused: string[] = [];
const native = nativeReader(findNative(), (why) => refused.push(why));
const read = (bytes: Uint8Array, name: string, by: NativeReader | null = native) =>
  readSource(bytes, name, { start: startKernel, native: by }, undefined, IMPORT_DEFAULTS);

interface Measured {
  area: number;
  box: number[];
}
function measure(triangles: Iterable<readonly number[][]>): Measured {
  let area = 0;
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (const [a, b, c] of triangles as Iterable<[number[], number[], number[]]>) {
    const u = b.map((v, k) => v - nth(a, k));
    const w = c.map((v, k) => v - nth(a, k));
    const at = (p: number[], i: number) => nth(p, i);
    area +=
      0.5 *
      Math.hypot(
        at(u, 1) * at(w, 2) - at(u, 2) * at(w, 1),
        at(u, 2) * at(w, 0) - at(u, 0) * at(w, 2),
        at(u, 0) * at(w, 1) - at(u, 1) * at(w, 0),
      );
    for (const p of [a, b, c])
      for (let k = 0; k < 3; k++) {
        box[k] = Math.min(at(box, k), at(p, k));
        box[3 + k] = Math.max(at(box, 3 + k), at(p, k));
      }
  }
  return { area, box };
}
function* ours({ assembly, geometries }: AssemblyPackage) {
  const index = indexAssembly(assembly);
  for (const [i, n] of assembly.nodes.entries()) {
    const g = geometries[n.geometry];
    const m = index.homeWorld.subarray(16 * i, 16 * i + 16);
    for (let t = 0; g && t < g.indices.length; t += 3)
      yield [0, 1, 2].map((c) => {
        const p = 3 * nth(g.indices, t + c);
        return [0, 1, 2].map((r) =>
          [0, 1, 2].reduce((s, k) => s + nth(m, 4 * k + r) * nth(g.positions, p + k), nth(m, 12 + r)),
        );
      });
  }
}
function* theirs(bytes: Uint8Array) {
  // As fine as ours, so that the areas of round faces can be compared.
  const { success, meshes } = other.ReadStepFile(bytes, {
    linearUnit: "millimeter",
    linearDeflectionType: "bounding_box_ratio",
    linearDeflection: 0.001,
    angularDeflection: 0.25,
  });
  expect(success).toBe(true);
  for (const { attributes, index } of meshes)
    for (let t = 0; t < index.array.length; t += 3)
      yield [0, 1, 2].map((c) =>
        attributes.position.array.slice(3 * nth(index.array, t + c), 3 * nth(index.array, t + c) + 3),
      );
}

test("the fixtures are there, and the system's kernel is", () => {
  expect(files.length).toBeGreaterThan(38);
  expect(native).not.toBeNull();
});

describe("by the system's kernel and by the one inside it comes to the same", () => {
  test.each([
    ["the demo", "demo/rill-h2.step", "step", "mm", 80],
    ["IGES", path.join(ROOT, "cube-10x10mm/Cube 10x10.igs"), "iges", "mm", 1],
    ["BREP", path.join(ROOT, "cax-if-brep/as1_pe_203.brep"), "brep", "mm", 1],
  ])("%s", async (_, file, format, unit, nodes) => {
    const bytes = new Uint8Array(readFileSync(file));
    const a = await read(bytes, path.basename(file));
    expect(refused).toEqual([]);
    expect([a.assembly.format, a.assembly.unit]).toEqual([format, unit]);
    expect(a.assembly.nodes.length).toBeGreaterThanOrEqual(nodes);
    expectSamePackage(a, await read(bytes, path.basename(file), null));
  });
  test("a set whose parts lie in files of their own", async () => {
    const [folder] = SETS[0] as [string, string];
    const names = readdirSync(path.join(ROOT, folder));
    const set = packBundle(
      names.map((name) => ({ name, bytes: new Uint8Array(readFileSync(path.join(ROOT, folder, name))) })),
    );
    const a = await read(set, "set.zip");
    expect(refused).toEqual([]);
    expectSamePackage(a, await read(set, "set.zip", null));
  });
  test("what it cannot read, the one inside judges", async () => {
    const said = (e: unknown) => (e as ImportError).message;
    const whole = readFileSync(path.join(ROOT, "simple-basic-cube/cube.stp"), "latin1");
    const hollow = Buffer.from(whole.replace(/DATA;[\s\S]*?ENDSEC;/, "DATA;\nENDSEC;"), "latin1");
    const [a, b] = [native, null].map((by) => read(hollow, "hollow.step", by).catch(said));
    expect(await a).toBe(await b);
    expect(await a).toMatch(/no shapes|could not be read/);
    expect(refused).toHaveLength(1);
    refused.length = 0;
  });
});

describe("surface and size of every third-party file agree with another reader's", () => {
  // A master alone holds no shape; its set is read below.
  const masters = new Set(SETS.map(([folder, master]) => path.join(folder, master)));
  test.each(files.filter((f) => !masters.has(f) && !f.startsWith("conical")))("%s", async (file) => {
    const bytes = readFileSync(path.join(ROOT, file));
    let pkg: AssemblyPackage;
    try {
      pkg = await read(bytes, path.basename(file));
    } catch (error) {
      // Masters within masters.
      expect((error as ImportError).code).toBe("missing-file");
      return;
    }
    expect(pkg.assembly.warnings.filter((w) => /faces? that|could not be drawn/.test(w))).toEqual([]);
    // By the kernel inside it is the same.
    expect(refused).toEqual([]);
    expectSamePackage(pkg, await read(bytes, path.basename(file), null));
    if (pkg.assembly.missing) return;
    const a = measure(ours(pkg));
    const b = measure(theirs(bytes));
    expect(Math.abs(a.area / b.area - 1)).toBeLessThan(0.004);
    const size = Math.hypot(...[0, 1, 2].map((k) => nth(b.box, 3 + k) - nth(b.box, k)));
    for (let k = 0; k < 6; k++) expect(Math.abs(nth(a.box, k) - nth(b.box, k))).toBeLessThan(0.01 * size);
  });
});

test("a cone that ends in its tip comes in whole, with its exact kind and axis", async () => {
  const pkg = await read(readFileSync(path.join(ROOT, "conical-surface/conical-surface.step")), "conical-surface.step");
  const [g] = pkg.geometries;
  const faces = Array.from({ length: (g?.faces.length ?? 0) / FACE_STRIDE }, (_, f) =>
    faceInfo(g?.faces ?? new Float64Array(), f),
  );
  expect(faces.length).toBe(5);
  const cones = faces.filter((f) => f.kind === "cone");
  expect(cones.length).toBeGreaterThan(0);
  for (const c of cones) expect([c.triangles > 0, Math.hypot(...c.axis).toFixed(9)]).toEqual([true, "1.000000000"]);
  expect(measure(ours(pkg)).area).toBeGreaterThan(1700);
  expect(measure(ours(pkg)).area).toBeLessThan(1720);
  expect(pkg.assembly.warnings).toEqual([]);
});

describe("an assembly whose parts lie in files of their own", () => {
  const set = (folder: string, keep: (name: string) => boolean = () => true) =>
    packBundle(
      readdirSync(path.join(ROOT, folder))
        .filter(keep)
        .map((name) => ({ name, bytes: new Uint8Array(readFileSync(path.join(ROOT, folder, name))) })),
    );
  test.each(SETS)("%s: the master is found by itself, and instances of one file share it", async (folder) => {
    const pkg = await read(set(folder), "set.zip");
    const parts = pkg.assembly.nodes.filter((n) => n.kind === "part");
    expect(parts.length).toBe(11);
    expect(pkg.assembly.missing).toBeUndefined();
    expect(pkg.geometries.length).toBeLessThan(parts.length);
    expect(pkg.assembly.warnings).toEqual([]);
    // The three exporters wrote the same model.
    expect(measure(ours(pkg)).area / 460_450).toBeCloseTo(1, 2);
  });
  test.each(SETS)("%s: what is missing is named", async (folder, master) => {
    const without = await read(
      set(folder, (n) => !/head/i.test(n)),
      "set.zip",
    );
    expect(without.assembly.missing?.every((n) => /head/i.test(n))).toBe(true);
    expect(without.assembly.warnings[0]).toMatch(/^Not given, so their parts are missing: .*head/i);
    const alone = await read(readFileSync(path.join(ROOT, folder, master)), master).catch((e: unknown) => e);
    expect(alone).toBeInstanceOf(ImportError);
    expect((alone as ImportError).message).toMatch(
      /parts lie in files of their own, and none of them was given: .*\.stp/,
    );
  });
});

describe("damaged STEP", () => {
  const CUBE = readFileSync(path.join(ROOT, "simple-basic-cube/cube.stp"), "latin1");
  test("a face that is lost is said, with its part", async () => {
    const shell = /CLOSED_SHELL\s*\(\s*'[^']*'\s*,\s*\(\s*#(\d+)/.exec(CUBE);
    const broken = CUBE.replace(new RegExp(`#${shell?.[1]}\\s*=\\s*ADVANCED_FACE`), `#${shell?.[1]}=ADVANCED_FARCE`);
    expect(broken).not.toBe(CUBE);
    const pkg = await read(Buffer.from(broken, "latin1"), "cube.stp");
    expect(pkg.geometries[0]?.faces.length).toBe(5 * FACE_STRIDE);
    expect(pkg.assembly.warnings.join(" ")).toMatch(
      /1 face that the file declares is damaged and did not come in: .* \(1 of 6\)/,
    );
  });
  test("products that place one another twice, thirty levels deep, are counted before they are built", async () => {
    const levels = 30;
    const rows = [
      "#1=APPLICATION_CONTEXT('x');",
      "#2=PRODUCT_CONTEXT('',#1,'mechanical');",
      "#3=PRODUCT_DEFINITION_CONTEXT('part definition',#1,'design');",
    ];
    rows.push(
      "#4=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));",
      "#5=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));",
      "#6=(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT());",
      "#7=UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-7),#4,'distance_accuracy_value','');",
      "#8=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#7))GLOBAL_UNIT_ASSIGNED_CONTEXT((#4,#5,#6))REPRESENTATION_CONTEXT('',''));",
      "#9=CARTESIAN_POINT('',(0.,0.,0.));",
      "#10=DIRECTION('',(0.,0.,1.));",
      "#11=DIRECTION('',(1.,0.,0.));",
      "#12=AXIS2_PLACEMENT_3D('',#9,#10,#11);",
    );
    for (let l = 0; l <= levels; l++) {
      const b = 100 + 20 * l;
      rows.push(
        `#${b}=PRODUCT('p${l}','p${l}','',(#2));`,
        `#${b + 1}=PRODUCT_DEFINITION_FORMATION('','',#${b});`,
        `#${b + 2}=PRODUCT_DEFINITION('design','',#${b + 1},#3);`,
        `#${b + 3}=PRODUCT_DEFINITION_SHAPE('','',#${b + 2});`,
        `#${b + 4}=SHAPE_REPRESENTATION('',(#12),#8);`,
        `#${b + 5}=SHAPE_DEFINITION_REPRESENTATION(#${b + 3},#${b + 4});`,
      );
      if (l > 0)
        for (const k of [6, 12])
          rows.push(
            `#${b + k}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('${l}-${k}','','',#${b + 2},#${b - 18},$);`,
            `#${b + k + 1}=PRODUCT_DEFINITION_SHAPE('','',#${b + k});`,
            `#${b + k + 2}=ITEM_DEFINED_TRANSFORMATION('','',#12,#12);`,
            `#${b + k + 3}=(REPRESENTATION_RELATIONSHIP('','',#${b - 16},#${b + 4})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#${b + k + 2})SHAPE_REPRESENTATION_RELATIONSHIP());`,
            `#${b + k + 4}=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#${b + k + 3},#${b + k + 1});`,
          );
    }
    const text = `ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n${rows.join("\n")}\nENDSEC;\nEND-ISO-10303-21;\n`;
    const error = await read(Buffer.from(text, "latin1"), "double.step").catch((e: unknown) => e);
    expect(error).toBeInstanceOf(ImportError);
    expect((error as ImportError).message).toMatch(/places more than a thousand million parts/);
  });
  test("references in a chain of a hundred thousand are an answer, not a crash", async () => {
    const chain = Array.from(
      { length: 100_000 },
      (_, i) => `#${900_000 + i}=COMPOSITE_CURVE('',(#${900_001 + i}),.F.);`,
    ).join("\n");
    const solid = CUBE.replace(
      /(MANIFOLD_SOLID_BREP\s*\([^;]*;)/,
      "$1\n#899999=SHAPE_REPRESENTATION('',(#900000),#1);",
    );
    const out = await read(
      Buffer.from(solid.replace("DATA;", `DATA;\n${chain}\n#1000000=CARTESIAN_POINT('',(0.,0.,0.));`), "latin1"),
      "chain.step",
    ).catch((e: unknown) => e);
    if (out instanceof Error) expect(out).toBeInstanceOf(ImportError);
    else expect((out as AssemblyPackage).geometries.length).toBe(1);
  });
});
