import { readFile, rm, writeFile } from "node:fs/promises";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { solidsOf, writeLargeStep } from "../../src/cli/measure/largeStep";
import { indexAssembly } from "../../src/core/assembly/assembly";
import { decodePackage } from "../../src/core/assembly/package";
import { FACE_STRIDE, faceInfo } from "../../src/core/geometry/geometry";
import { nth } from "../../src/core/math/packed";
import { ImportError } from "../../src/formats/importError";
import { CancelledError, KernelPool } from "../../src/server/kernel/pool";
import { key, sequenceOf } from "../support/assembly";
import { plextan } from "../support/commandLine";
import { smallProjectFile } from "../support/project";

const AS1 = "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp";
const AS1_PE = "node_modules/occt-import-js/test/testfiles/cax-if/as1_pe_203.stp";
const CUBE = "node_modules/occt-import-js/test/testfiles/simple-basic-cube/cube.stp";
const nothing = () => {};
let kernels: KernelPool;
beforeAll(() => {
  kernels = new KernelPool({ processes: 1 });
});
afterAll(() => kernels.close());

const refused = async (bytes: Uint8Array, name: string): Promise<string> => {
  const error = await kernels.read(bytes, name, nothing).then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ImportError);
  return (error as Error).message;
};

describe("a third-party STEP assembly", () => {
  let read: Awaited<ReturnType<KernelPool["read"]>>;
  const stages: string[] = [];
  beforeAll(async () => {
    read = await kernels.read(await readFile(AS1), "as1-oc-214.stp", (s) => stages.push(s));
  });

  test("keeps all levels, names and instances", () => {
    const { nodes, geometries, unit } = read.assembly;
    expect(unit).toBe("mm");
    expect(nodes.filter((n) => n.kind === "part")).toHaveLength(18);
    expect(nodes.filter((n) => n.kind === "assembly")).toHaveLength(10);
    expect(geometries).toHaveLength(5);
    expect(Math.max(...indexAssembly(read.assembly).depth)).toBe(3);
    const bolts = nodes.filter((n) => n.name === "bolt_1");
    expect(bolts).toHaveLength(6);
    expect(new Set(bolts.map((b) => b.geometry)).size).toBe(1);
    expect(stages).toContain("mesh");
  });

  test("places instances where the file's own numbers say", async () => {
    // Worked out apart from the reader: the placements of the two brackets in the top assembly, read from the text.
    const text = await readFile(AS1, "latin1");
    const entity = (id: string) =>
      new RegExp(`${id.replace("#", "#")}\\s*=\\s*([^;]*);`).exec(text)?.[1]?.replace(/\s+/g, " ") ?? "";
    const points = [...text.matchAll(/ITEM_DEFINED_TRANSFORMATION\('[^']*','[^']*',(#\d+),(#\d+)\)/g)].map((m) => {
      const axis = entity(m[2] as string);
      const origin = /\('[^']*',(#\d+)/.exec(axis)?.[1] ?? "";
      return /\(([^()]*)\)\)?$/.exec(entity(origin))?.[1]?.split(",").map(Number) ?? [];
    });
    expect(points.length).toBeGreaterThan(5);
    for (const node of read.assembly.nodes) {
      if (node.parent < 0) continue;
      const at = node.home.slice(12, 15);
      expect(points.some((p) => p.every((v, k) => Math.abs(v - nth(at, k)) < 1e-6))).toBe(true);
    }
  });

  test("keeps colours and the exact axes of its holes", async () => {
    expect(read.assembly.nodes.find((n) => n.name === "nut_1")?.color).toEqual([1, 0, 0, 1]);
    // Another exporter's file of the same model, since the first writes every surface as a spline.
    const other = await kernels.read(await readFile(AS1_PE), "as1_pe_203.stp", nothing);
    expect(other.assembly.nodes.filter((n) => n.kind === "part")).toHaveLength(18);
    const { geometries, assembly } = decodePackage(other.package);
    const plate = geometries[assembly.nodes.find((n) => /plate/i.test(n.name))?.geometry ?? -1];
    const faces = Array.from({ length: (plate?.faces.length ?? 0) / FACE_STRIDE }, (_, f) =>
      faceInfo(plate?.faces ?? new Float64Array(), f),
    );
    const holes = faces.filter((f) => f.kind === "cylinder");
    expect(holes.length).toBeGreaterThan(3);
    for (const h of holes) {
      expect(Math.hypot(...h.axis)).toBeCloseTo(1, 12);
      // Every vertex of the hole lies at the radius from the axis: axis, radius and triangles agree.
      for (let t = h.firstTriangle * 3; t < (h.firstTriangle + h.triangles) * 3; t++) {
        const i = (plate?.indices[t] as number) * 3;
        const d = [0, 1, 2].map((k) => (plate?.positions[i + k] as number) - nth(h.point, k));
        const along = d.reduce((s, v, k) => s + v * nth(h.axis, k), 0);
        expect(Math.hypot(...d.map((v, k) => v - along * nth(h.axis, k)))).toBeCloseTo(h.radius, 3);
      }
    }
  });

  test("normals point outward and are of length one", () => {
    const { geometries } = decodePackage(read.package);
    for (const g of geometries) {
      let agree = 0;
      for (let t = 0; t < g.indices.length; t += 3) {
        const [a, b, c] = [nth(g.indices, t), nth(g.indices, t + 1), nth(g.indices, t + 2)];
        const e = (p: number, k: number) => nth(g.positions, 3 * p + k) - nth(g.positions, 3 * a + k);
        const n = [
          e(b, 1) * e(c, 2) - e(b, 2) * e(c, 1),
          e(b, 2) * e(c, 0) - e(b, 0) * e(c, 2),
          e(b, 0) * e(c, 1) - e(b, 1) * e(c, 0),
        ];
        if (n.reduce((s, v, k) => s + v * nth(g.normals, 3 * a + k), 0) > 0) agree++;
      }
      expect(agree / (g.indices.length / 3)).toBeGreaterThan(0.99);
    }
  });
});

test("units other than millimetres come out in millimetres, and can be taken otherwise", async () => {
  const sizes: number[][] = [];
  for (const unit of ["mm", "in", "m"]) {
    const bytes = await readFile(`node_modules/occt-import-js/test/testfiles/cube-units/cube-${unit}.step`);
    const { assembly } = await kernels.read(bytes, `cube-${unit}.step`, nothing);
    expect(assembly.unit).toBe(unit);
    const { min, max } = assembly.geometries[0]?.bounds ?? { min: [0, 0, 0], max: [0, 0, 0] };
    sizes.push(max.map((v, k) => v - nth(min, k)));
  }
  // The same cube three times; its corner in the inch file lies at 39.370078740157 in.
  for (const size of sizes) for (const edge of size) expect(edge).toBeCloseTo(39.370078740157 * 25.4, 4);
  const taken = await kernels.read(
    await readFile("node_modules/occt-import-js/test/testfiles/cube-units/cube-mm.step"),
    "cube-mm.step",
    nothing,
    undefined,
    {
      quality: "normal",
      unit: "m",
      up: "y",
    },
  );
  expect(taken.assembly).toMatchObject({ unit: "m", up: "y" });
  expect(taken.assembly.geometries[0]?.bounds.max[0]).toBeCloseTo(1e6, 1);
  expect(taken.assembly.warnings.join(" ")).toMatch(/1000 m across, taken as written in m/);
});

test("finer meshes have more triangles on the same faces", async () => {
  const bytes = await readFile(AS1_PE);
  const faces: number[] = [];
  const triangles: number[] = [];
  for (const quality of ["coarse", "fine"] as const) {
    const { geometries } = decodePackage(
      (await kernels.read(bytes, "as1_pe_203.stp", nothing, undefined, { quality, unit: null, up: null })).package,
    );
    faces.push(geometries.reduce((n, g) => n + g.faces.length / FACE_STRIDE, 0));
    triangles.push(geometries.reduce((n, g) => n + g.indices.length / 3, 0));
  }
  expect(faces[0]).toBe(faces[1]);
  expect(nth(triangles, 1)).toBeGreaterThan(1.5 * nth(triangles, 0));
});

test("an assembly of another exporter: instances keep their own places, worked out from the file's placements", async () => {
  const file = "node_modules/occt-import-js/test/testfiles/cax-if/as1-tu-203.stp";
  const { assembly } = await kernels.read(await readFile(file), "as1-tu-203.stp", nothing);
  const index = indexAssembly(assembly);
  const bolts = assembly.nodes.flatMap((n, i) => (/bolt/i.test(n.name) && n.kind === "part" ? [i] : []));
  expect(bolts.length).toBe(6);
  // The model is symmetric: three bolts in each bracket, no two at one place, all at one height.
  const at = bolts.map((i) => Array.from(index.homeWorld.subarray(16 * i + 12, 16 * i + 15)));
  expect(new Set(at.map((p) => p.map((v) => v.toFixed(3)).join())).size).toBe(6);
  const middles = bolts.map((i) =>
    [0, 1, 2].map((k) => (nth(index.worldBounds, 6 * i + k) + nth(index.worldBounds, 6 * i + 3 + k)) / 2),
  );
  const spread = [0, 1, 2].map(
    (k) => Math.max(...middles.map((p) => nth(p, k))) - Math.min(...middles.map((p) => nth(p, k))),
  );
  expect(Math.min(...spread)).toBeLessThan(1e-3);
});

test("a lone part comes in as a part", async () => {
  const { assembly } = await kernels.read(await readFile(CUBE), "cube.stp", nothing);
  expect(assembly.nodes.filter((n) => n.kind === "part").length).toBeGreaterThan(0);
});

test("more parts than can be shown one by one: what is in the smallest sub-assemblies comes in as one part each", async () => {
  const [cube] = solidsOf(await readFile(CUBE, "latin1"));
  if (!cube) throw new Error("no solid");
  await writeLargeStep("var/many.step", [cube], 100, 100);
  const { assembly, package: bytes } = await kernels.read(await readFile("var/many.step"), "many.step", nothing);
  await rm("var/many.step");
  // 10,000 parts in 1,111 sub-assemblies; of ten kinds of groups, a hundred each, two are one part now: no more than must.
  expect(assembly.nodes.filter((n) => n.kind === "part")).toHaveLength(8200);
  expect(assembly.warnings[0]).toMatch(/^The file places 11,1\d\d parts and sub-assemblies; up to 10,000 can be shown/);
  const { geometries } = decodePackage(bytes);
  const group = geometries.find((g) => g.indices.length > 36);
  expect(group?.indices.length).toBe(10 * 36);
  expect(group?.faces.length).toBe(10 * 6 * FACE_STRIDE);
  const size = group?.bounds.max.map((v, k) => Math.round(v - (group?.bounds.min[k] ?? 0))) ?? [];
  // Ten places 120 mm apart, five to a row.
  expect(size[0]).toBeGreaterThan(4 * 120);
  expect(size[1]).toBeGreaterThan(120);
});

describe("bad files end in a clear message and a living reader", () => {
  test("truncated, renamed, empty, scrambled", async () => {
    const whole = await readFile(AS1);
    expect(await refused(whole.subarray(0, 200_000), "cut.step")).toMatch(/ends too early/);
    expect(await refused(new TextEncoder().encode("just some words"), "text.step")).toMatch(/not a STEP file/);
    expect(await refused(new Uint8Array(), "empty.step")).toMatch(/empty/);
    const hollow = new TextEncoder().encode(
      "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n",
    );
    expect(await refused(hollow, "hollow.step")).toMatch(/no shapes|could not be read/);
    const text = whole.toString("latin1");
    const scrambled = Buffer.from(
      text.replace(/ADVANCED_FACE/g, "ADVANCED_FARCE").replace(/CARTESIAN_POINT\(/g, "CARTESIAN_POINT(("),
      "latin1",
    );
    expect((await refused(scrambled, "scrambled.step")).length).toBeGreaterThan(20);
    const again = await kernels.read(whole, "as1-oc-214.stp", nothing);
    expect(again.assembly.nodes).toHaveLength(28);
  });

  test("a cancel ends the process and a fresh one takes over", async () => {
    const abort = new AbortController();
    const work = kernels.read(await readFile("demo/rill-h2.step"), "rill-h2.step", () => abort.abort(), abort.signal);
    await expect(work).rejects.toBeInstanceOf(CancelledError);
    const { assembly } = await kernels.read(await readFile(CUBE), "cube.stp", nothing);
    expect(assembly.nodes.length).toBeGreaterThan(0);
  });

  test("one that needs too much memory or time is stopped with a message", async () => {
    const small = new KernelPool({ processes: 1, memoryBytes: 1024 * 1024 });
    await expect(small.read(await readFile("demo/rill-h2.step"), "rill-h2.step", nothing)).rejects.toThrow(
      /more than 1 MB of memory/,
    );
    small.close();
  });
});

describe("the command line", () => {
  test("inspect lists the tree", async () => {
    const { code, out } = await plextan("inspect", AS1, "--json");
    const r = JSON.parse(out);
    expect(code).toBe(0);
    expect(r).toMatchObject({ format: "step", unit: "mm", up: "z", parts: 18, assemblies: 10, geometries: 5 });
    expect(r.nodes[1]).toMatchObject({ kind: "assembly", parent: r.nodes[0].key, depth: 1, geometry: null });
    expect(r.nodes.every((n: { home: number[] }) => n.home.length === 16)).toBe(true);
    expect(r.triangles).toBe(r.nodes.reduce((s: number, n: { triangles: number }) => s + n.triangles, 0));
  });

  test("what cannot be read: one line, exit code 2", async () => {
    await writeFile("var/bad.step", "no");
    for (const args of [
      ["inspect", "var/bad.step", "--json"],
      ["inspect", "var/none.step", "--json"],
      ["pose", "var/bad.step", "--at", "1s"],
    ]) {
      const { code, out, err } = await plextan(...args);
      expect([code, out]).toEqual([2, ""]);
      expect(err.trim().split("\n")).toHaveLength(1);
      expect(err.length).toBeGreaterThan(15);
    }
    await rm("var/bad.step");
  });

  test("pose gives world matrices, in seconds and in frames alike", async () => {
    await writeFile("var/pose.plextan.zip", smallProjectFile());
    const at = async (time: string) =>
      JSON.parse((await plextan("pose", "var/pose.plextan.zip", "--sequence", "Test", "--at", time, "--json")).out);
    const r = await at("2.5s");
    expect(r).toMatchObject({ seconds: 2.5, frame: 75, camera: { azimuth: 30, lens: 50, aim: [0, 0, 0] } });
    expect(r.nodes["root/arm"].matrix[12]).toBe(110);
    expect((await at("75f")).nodes).toEqual(r.nodes);
    expect((await at("0.1s")).nodes["root/arm"].matrix[12]).toBe(100);
    await rm("var/pose.plextan.zip");
  });

  test("proof tells what it finds, with an exit code of its own; a clean sequence has none", async () => {
    const file = "var/proof.plextan.zip";
    await writeFile(file, smallProjectFile());
    const only = ["--only", "spins-back,seam,reading,creep"];
    expect(await plextan("proof", file, ...only, "--json")).toMatchObject({ out: "[]\n", code: 0 });
    const spun = sequenceOf([
      { "root/arm": [key("a", 1, 0.5, { "turn.x": 350 }), key("b", 2, 0.5, { "turn.x": 10 })] },
    ]);
    await writeFile(file, smallProjectFile("Small", spun));
    const r = await plextan("proof", file, ...only, "--json");
    expect(r.code).toBe(3);
    expect(JSON.parse(r.out)).toMatchObject([
      {
        ...{ check: "spins-back", severity: "wrong", seconds: [2, 2.5], targets: ["arm"], meant: null },
        message: "arm (Turn X) spins back from 350° to 10°; going on, the same direction is 370°.",
      },
    ]);
    expect((await plextan("proof", file, "--only", "reading,seam", "--json")).code).toBe(0);
    // Excused with a reason it is still told, and no longer counts.
    spun.meant = {
      x: {
        ...{ id: "x", check: "spins-back", step: "s0", about: "back m-root_arm b turn.x", by: "Ada", at: "2026-01-02" },
        ...{ facts: "back|wrong|turn.x from=350 to=10 whole=360", reason: "It unwinds its cable" },
      },
    };
    await writeFile(file, smallProjectFile("Small", spun));
    const excused = await plextan("proof", file, ...only, "--json");
    expect(excused.code).toBe(0);
    expect(JSON.parse(excused.out)).toMatchObject([{ check: "spins-back", meant: "It unwinds its cable" }]);
    const wrong = await plextan("proof", file, "--only", "smell");
    expect(wrong.code).toBe(2);
    expect(wrong.err).toContain('There is no check "smell". There are: fault, seam, spins-back, wrong-way');
    await rm(file);
  });
});
