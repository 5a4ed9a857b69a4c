import { execFile } from "node:child_process";
import { readdir, readFile, rm, writeFile } from "node:fs/promises";
import { promisify } from "node:util";
import { unzipSync } from "fflate";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { indexAssembly } from "../../src/core/assembly/assembly";
import { decodePackage } from "../../src/core/assembly/package";
import type { Sound } from "../../src/core/document/sounds";
import { FACE_STRIDE, faceInfo } from "../../src/core/geometry/geometry";
import { nth } from "../../src/core/math/packed";
import { lagOf } from "../../src/core/sound/lag";
import { ImportError } from "../../src/formats/importError";
import { CancelledError, KernelPool } from "../../src/server/kernel/pool";
import { key, seconds, sequenceOf } from "../support/assembly";
import { hashOf, smallProjectFile } from "../support/project";
import { sound, wav } from "../support/sound";

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
  const run = promisify(execFile);
  const plextan = (...args: string[]) =>
    run("bin/plextan", args, { maxBuffer: 1 << 26 }).then(
      (r) => ({ code: 0, out: r.stdout, err: r.stderr }),
      (e: { code: number; stdout: string; stderr: string }) => ({ code: e.code, out: e.stdout, err: e.stderr }),
    );

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

  test("publish makes what is asked for, or an output that is kept, and leaves nothing half made", async () => {
    const file = "var/publish.plextan.zip";
    const film = sequenceOf([{ "root/arm": [key("a", 0.5, 0.4, { "turn.x": 90 })] }]);
    const [step] = Object.values(film.steps);
    if (step) Object.assign(step, { caption: "It turns.", stillBefore: 0, stillAfter: 0, action: seconds(0.5) });
    film.picture = { width: 64, height: 36 };
    film.outputs = {
      o: {
        ...{ id: "o", name: "For the web", kind: "video", range: { of: "all" } },
        settings: { format: "webm-vp9", width: 64, height: 48, captions: "none", rateNum: 24, rateDen: 1 },
      },
    };
    film.outputs.wide = {
      ...{ id: "wide", name: "Banner", kind: "still", range: { of: "all" } },
      settings: { width: 4400, height: 44, shape: "fill", captions: "none" },
    };
    film.outputs.small = {
      ...{ id: "small", name: "Small and new", kind: "video", range: { of: "all" } },
      settings: {
        format: "webm-av1",
        width: 64,
        height: 36,
        captions: "panel",
        captionPlace: "top",
        titles: 1,
        mbit: 0.2,
      },
    };
    await writeFile(file, smallProjectFile("Small", film));
    const make = (to: string, ...more: string[]) => plextan("publish", file, ...more, "--to", to);
    const words = await make("var/out.vtt", "--as", "vtt");
    expect(JSON.parse(words.out)).toMatchObject({ file: "out.vtt", kind: "captions", checked: ["1 caption"] });
    expect(await readFile("var/out.vtt", "utf8")).toBe("WEBVTT\n\n00:00:00.000 --> 00:00:00.500\nIt turns.\n");
    const scene = await make("var/out.glb", "--as", "glb");
    expect(JSON.parse(scene.out).checked[0]).toMatch(/^1 animation, \d+ keys$/);
    // What is drawn is drawn by the browser: frame for frame as in the app, for it is the same worker.
    const video = await make("var/out.webm", "--output", "For the web");
    expect(video.err).not.toMatch(/Unexpected/);
    expect(JSON.parse(video.out)).toMatchObject({ width: 64, height: 48, frames: 12 });
    expect(JSON.parse(video.out).checked[0]).toBe("12 frames, each at its time");
    const { stdout } = await run(
      "ffmpeg",
      ["-v", "error", "-i", "var/out.webm", "-f", "rawvideo", "-pix_fmt", "gray", "-"],
      {
        encoding: "buffer",
      },
    );
    const pixels = stdout as unknown as Buffer;
    expect(pixels.length).toBe(64 * 48 * 12);
    // Another shape stands between bars, six rows above and below.
    const row = (y: number) => Array.from(pixels.subarray(64 * y, 64 * (y + 1)));
    expect(Math.max(...row(2), ...row(45))).toBeLessThan(20);
    expect(Math.min(...row(8))).toBeGreaterThan(60);
    // A loop shows what the stage does, in a palette of its own; what stands still is one picture.
    const loop = await make("var/out.gif", "--as", "gif", "--size", "64x36", "--rate", "20");
    expect(JSON.parse(loop.out)).toMatchObject({
      frames: 10,
      checked: [expect.stringMatching(/^\d+ pictures?, 0.50 s in all$/)],
    });
    await make("var/out.png", "--as", "png", "--size", "64x36");
    const first = async (of: string) => {
      const raw = ["-frames:v", "1", "-f", "rawvideo", "-pix_fmt", "gray", "-"];
      return (await run("ffmpeg", ["-v", "error", "-i", of, ...raw], { encoding: "buffer" }))
        .stdout as unknown as Buffer;
    };
    const [gif, png] = [await first("var/out.gif"), await first("var/out.png")];
    const off = Array.from(gif, (v, i) => Math.abs(v - (png[i] as number)));
    expect(off.reduce((x, y) => x + y, 0) / off.length).toBeLessThan(5);
    // Wider than is drawn in one piece: where two tiles meet nothing is to be seen.
    await make("var/out.png", "--output", "Banner");
    const wide = await first("var/out.png");
    const change = (x: number) => {
      let sum = 0;
      for (let y = 0; y < 44; y++) sum += Math.abs((wide[4400 * y + x] as number) - (wide[4400 * y + x - 1] as number));
      return sum / 44;
    };
    const seam = 4096 - 128;
    expect(Math.max(...[-1, 0, 1].map((i) => change(seam + i)))).toBeLessThan(1);
    // And it is a picture on both sides: the background gets darker downward.
    for (const x of [seam - 9, seam + 9])
      expect((wide[x] as number) - (wide[4400 * 43 + x] as number)).toBeGreaterThan(8);
    // Another encoder at a rate, with words at the top and in the corner.
    const av1 = JSON.parse((await make("var/out.webm", "--output", "Small and new")).out);
    expect(av1.checked[0]).toBe("15 frames, each at its time");
    for (const [args, said] of [
      [["--output", "For print"], 'no output "For print". It has: "For the web", "Banner", "Small and new"'],
      [["--as", "mp4", "--size", "20000x20000"], "settings are not as they should be: width, height"],
      [["--as", "mp4", "--rate", "1000"], "No player shows more"],
    ] as const) {
      const r = await make("var/no.mp4", ...args);
      expect(r.code).toBe(2);
      expect(r.err).toContain(said);
    }
    expect((await readdir("var")).filter((f) => f.startsWith("no.mp4") || f.endsWith(".part"))).toEqual([]);
    for (const f of [file, "var/out.vtt", "var/out.glb", "var/out.webm", "var/out.gif", "var/out.png"]) await rm(f);
  }, 120_000);

  test("the sound of a video is at its sample, in every format", async () => {
    const file = "var/spoken.plextan.zip";
    // A tone that rises, which no encoder takes for noise, a quarter of a second into the second step.
    const rising = Float32Array.from({ length: 24_000 }, (_, i) => {
      const t = i / 48_000;
      return 0.6 * Math.sin(2 * Math.PI * (300 * t + 4000 * t * t));
    });
    const bytes = wav(rising);
    const film = sequenceOf([{ "root/arm": [key("a", 0.5, 0.4, { "turn.x": 90 })] }, {}]);
    for (const step of Object.values(film.steps))
      Object.assign(step, { stillBefore: 0, stillAfter: 0, action: seconds(0.5) });
    film.picture = { width: 64, height: 36 };
    film.sounds = { v: sound("v", 0.5, "s1", 0.25, { asset: hashOf(bytes), volume: -6 }) };
    film.sounds.v = { ...film.sounds.v, to: seconds(0.2) } as Sound;
    await writeFile(file, smallProjectFile("Spoken", film, [bytes]));
    for (const as of ["mp4", "webm"]) {
      const made = await plextan("publish", file, "--as", as, "--to", `var/spoken.${as}`);
      expect(JSON.parse(made.out).checked).toContain("sound in step to 0.0 ms");
      const { stdout } = await run(
        "ffmpeg",
        ["-v", "error", "-i", `var/spoken.${as}`, "-vn", "-ar", "48000", "-f", "f32le", "-"],
        { encoding: "buffer", maxBuffer: 1 << 26 },
      );
      const raw = stdout as unknown as Buffer;
      // The left of two channels.
      const heard = new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4).filter((_, i) => i % 2 === 0);
      expect(Math.abs(heard.length / 48_000 - 1)).toBeLessThan(0.03);
      const at = 0.75 * 48_000;
      const { lag, alike } = lagOf(heard.slice(at - 2000, at + 6000), rising.slice(0, 4000), 2000);
      expect([as, Math.abs(lag) <= 1, alike > 0.95]).toEqual([as, true, true]);
      const loud = (a: number, b: number) => Math.max(...heard.subarray(a, b).map(Math.abs));
      expect(loud(0, at - 1500)).toBeLessThan(0.02);
      // At -6 dB, by what both have in common; what was trimmed off is not heard.
      const dot = (a: Float32Array, b: Float32Array) => a.reduce((sum, v, i) => sum + v * (b[i] as number), 0);
      const part = rising.slice(0, 4000);
      expect(dot(heard.slice(at, at + 4000), part) / dot(part, part)).toBeCloseTo(0.501, 1);
      expect(loud(at + 0.21 * 48_000, 48_000)).toBeLessThan(0.02);
      await rm(`var/spoken.${as}`);
    }
    await rm(file);
  }, 120_000);

  test("motion blur is the light of all moments of a frame, and stills stay as they are", async () => {
    const file = "var/blur.plextan.zip";
    const film = sequenceOf([{ "root/arm": [key("a", 0.2, 0.2, { "slide.y": 60 })] }]);
    const [step] = Object.values(film.steps);
    if (step) Object.assign(step, { stillBefore: 0, stillAfter: seconds(0.1), action: seconds(0.2) });
    film.picture = { width: 128, height: 72 };
    const range = { of: "all" } as const;
    const size = { width: 128, height: 72, captions: "none", rateDen: 1 };
    const sharp = { format: "webm-vp9", quality: 2, rateNum: 30, shutter: 360 };
    film.outputs = {
      b: { id: "b", name: "Blurred", kind: "video", range, settings: { ...size, ...sharp, blur: 8 } },
      f: { id: "f", name: "Moments", kind: "frames", range, settings: { ...size, rateNum: 240 } },
    };
    await writeFile(file, smallProjectFile("Small", film));
    const make = async (name: string, to: string) => {
      const r = await plextan("publish", file, "--output", name, "--to", to);
      expect(r.err).not.toMatch(/Unexpected/);
      expect(r.code).toBe(0);
    };
    await make("Blurred", "var/blur.webm");
    await make("Moments", "var/moments.zip");
    const grey = async (...from: string[]) => {
      const raw = ["-f", "rawvideo", "-pix_fmt", "rgb24", "-"];
      const { stdout } = await run("ffmpeg", ["-v", "error", ...from, ...raw], {
        encoding: "buffer",
        maxBuffer: 1 << 28,
      });
      return stdout as unknown as Buffer;
    };
    const entries = Object.values(unzipSync(new Uint8Array(await readFile("var/moments.zip"))));
    expect(entries).toHaveLength(72);
    await writeFile("var/moments.png", Buffer.concat(entries));
    const moments = await grey("-f", "image2pipe", "-c:v", "png", "-i", "var/moments.png");
    const frames = await grey("-i", "var/blur.webm");
    const each = 128 * 72 * 3;
    expect([moments.length, frames.length]).toEqual([72 * each, 9 * each]);
    const light = (v: number) => (v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);
    const shown = (l: number) => 255 * (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);
    /** Mean distance of a frame from the light of so many moments from its beginning on, where it moves, or all over. */
    const off = (frame: number, count: number) => {
      let sum = 0;
      let counted = 0;
      for (let i = 0; i < each; i++) {
        const of = (m: number) => nth(moments, (8 * frame + m) * each + i);
        if (frame < 6 && Math.abs(of(0) - of(7)) < 30) continue;
        counted++;
        let l = 0;
        for (let m = 0; m < count; m++) l += light(of(m)) / count;
        sum += Math.abs(shown(l) - nth(frames, frame * each + i));
      }
      return sum / counted;
    };
    for (const frame of [2, 3]) {
      expect(off(frame, 8)).toBeLessThan(12);
      expect(off(frame, 1)).toBeGreaterThan(2 * off(frame, 8));
    }
    expect(off(8, 1)).toBeLessThan(1.5);
    for (const f of [file, "var/blur.webm", "var/moments.zip", "var/moments.png"]) await rm(f);
  }, 120_000);
});
