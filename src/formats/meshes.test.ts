import { Document, WebIO } from "@gltf-transform/core";
import { EXTMeshoptCompression, KHRDracoMeshCompression } from "@gltf-transform/extensions";
import draco from "draco3dgltf";
import { strToU8, zipSync } from "fflate";
import { MeshoptEncoder } from "meshoptimizer";
import { describe, expect, test } from "vitest";
import { boxGeometry } from "../../tests/support/boxes";
import { indexAssembly } from "../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings } from "../core/assembly/importSettings";
import type { AssemblyPackage } from "../core/assembly/package";
import { nth } from "../core/math/packed";
import { packBundle } from "./bundle/bundle";
import { detectFormat } from "./detect";
import { ImportError } from "./importError";
import { readSource } from "./read";
import { extentOf } from "./tidy";

const noKernel = { start: () => Promise.reject(new Error("the kernel was asked for")) };
const read = (bytes: Uint8Array, name: string, settings: Partial<ImportSettings> = {}) =>
  readSource(bytes, name, noKernel, undefined, { ...IMPORT_DEFAULTS, ...settings });
const refusal = async (work: Promise<unknown>): Promise<string> => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ImportError);
  return (error as Error).message;
};
const size = (pkg: AssemblyPackage, key: string) => {
  const index = indexAssembly(pkg.assembly);
  const i = index.indexOf.get(key) ?? -1;
  return [0, 1, 2].map((k) => nth(index.worldBounds, 6 * i + 3 + k) - nth(index.worldBounds, 6 * i + k));
};
const names = (pkg: AssemblyPackage) => pkg.assembly.nodes.map((n) => n.key);

/** Triangles of a box as corners. */
const corners = (w: number, d: number, h: number, shift: readonly number[] = [0, 0, 0]): number[][] => {
  const g = boxGeometry("b", [w, d, h]);
  return Array.from(g.indices, (v) => [0, 1, 2].map((k) => nth(g.positions, 3 * v + k) + nth(shift, k)));
};
const textStl = (solids: [string, number[][]][]) =>
  solids
    .map(([name, points]) => {
      let out = `solid ${name}\n`;
      for (let i = 0; i < points.length; i += 3)
        out += `facet normal 0 0 0\nouter loop\n${[0, 1, 2].map((k) => `vertex ${points[i + k]?.join(" ")}`).join("\n")}\nendloop\nendfacet\n`;
      return `${out}endsolid ${name}\n`;
    })
    .join("");
function binaryStl(points: number[][]): Uint8Array {
  const out = new Uint8Array(84 + (50 * points.length) / 3);
  const view = new DataView(out.buffer);
  view.setUint32(80, points.length / 3, true);
  points.forEach((p, i) => {
    p.forEach((v, k) => {
      view.setFloat32(84 + 50 * Math.floor(i / 3) + 12 + 12 * (i % 3) + 4 * k, v, true);
    });
  });
  return out;
}

describe("STL", () => {
  test("binary and text give the same body; the unit and the up axis are the user's", async () => {
    const a = await read(binaryStl(corners(10, 20, 30)), "block.stl", { unit: "cm", up: "y" });
    const b = await read(strToU8(textStl([["block", corners(10, 20, 30)]])), "block.stl", { unit: "cm", up: "y" });
    expect(a.assembly.up).toBe("y");
    expect(size(a, "block/block").map(Math.round)).toEqual([100, 200, 300]);
    expect(size(b, "block/block").map(Math.round)).toEqual([100, 200, 300]);
    expect(a.geometries[0]?.positions.length).toBe(24 * 3);
    expect(a.geometries[0]?.edges.length).toBe(12 * 6);
  });
  test("solids of a text file become parts", async () => {
    const pkg = await read(
      strToU8(
        textStl([
          ["Lid", corners(9, 9, 2)],
          ["Pot", corners(9, 9, 7, [0, 0, -5])],
        ]),
      ),
      "pot.stl",
    );
    expect(names(pkg)).toEqual(["pot", "pot/Lid", "pot/Pot"]);
  });
  test("says what is wrong: cut off, empty, not numbers, nothing but slivers", async () => {
    expect(await refusal(read(binaryStl(corners(1, 1, 1)).subarray(0, 200), "a.stl"))).toMatch(
      /announces 12 triangles, 2 are there/,
    );
    expect(await refusal(read(strToU8("solid a\nfacet normal 0 0 0\n"), "a.stl"))).toMatch(/endsolid/);
    const words =
      "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 NaN 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n";
    expect(await refusal(read(new TextEncoder().encode(words), "a.stl"))).toMatch(/not a usable number \(line 5\)/);
    expect(
      await refusal(read(binaryStl(corners(1, 1, 1).map((p, i) => (i === 4 ? [Number.NaN, 0, 0] : p))), "a.stl")),
    ).toMatch(/not a usable number \(triangle 2\)/);
    expect(
      await refusal(
        read(binaryStl(corners(1, 1, 1).map((p, i) => (i === 4 ? [Number.POSITIVE_INFINITY, 0, 0] : p))), "a.stl"),
      ),
    ).toMatch(/not a usable number/);
    expect(
      await refusal(
        read(
          binaryStl([
            [0, 0, 0],
            [1, 0, 0],
            [2, 0, 0],
          ]),
          "a.stl",
        ),
      ),
    ).toMatch(/no triangles/);
    expect(await refusal(read(new Uint8Array(20), "a.stl"))).toMatch(/too short/);
  });
  test("triangles without area are left out and counted, a great many as well", async () => {
    const flat = Array.from({ length: 90_000 }, () => [3, 3, 3]);
    const pkg = await read(binaryStl([...corners(5, 5, 5), ...flat]), "a.stl");
    expect(pkg.assembly.warnings[0]).toMatch(/^30000 triangles have no area/);
    expect(pkg.assembly.geometries[0]?.triangles).toBe(12);
  });
  test("a kilometre of machine, or a crumb of one, is doubted in words", async () => {
    expect((await read(binaryStl(corners(900, 3, 3)), "a.stl", { unit: "m" })).assembly.warnings[0]).toMatch(
      /900 m across, taken as written in m.*another unit/,
    );
    expect((await read(binaryStl(corners(0.1, 0.1, 0.1)), "a.stl")).assembly.warnings[0]).toMatch(/only 0.10 mm/);
    expect((await read(binaryStl(corners(90, 3, 3)), "a.stl")).assembly.warnings).toEqual([]);
  });
});

const OBJ = (points: number[][], faces: string, head = "") =>
  strToU8(`${head}\n${points.map((p) => `v ${p.join(" ")}`).join("\n")}\n${faces}\n`);
const soup = (n: number, first = 1) =>
  Array.from({ length: n / 3 }, (_, i) => `f ${first + 3 * i} ${first + 3 * i + 1} ${first + 3 * i + 2}`).join("\n");

describe("OBJ with MTL", () => {
  const two = [...corners(4, 4, 4), ...corners(4, 4, 4, [20, 0, 0])];
  const body = OBJ(
    two,
    `o Left\nusemtl brass\n${soup(36)}\no Right\nusemtl clear\n${soup(36, 37)}`,
    "mtllib paint.mtl",
  );
  const mtl = strToU8("newmtl brass\nKd 0.8 0.6 0.3\nnewmtl clear\nKd 0.9 0.9 1\nd 0.3\n");

  test("objects become parts with their colours; equal bodies share one shape", async () => {
    const pkg = await read(
      packBundle([
        { name: "pair.obj", bytes: body },
        { name: "Paint.mtl", bytes: mtl },
      ]),
      "pair.zip",
    );
    expect(names(pkg)).toEqual(["pair", "pair/Left", "pair/Right"]);
    expect(pkg.geometries).toHaveLength(1);
    expect(pkg.assembly.nodes[2]?.home.slice(12, 15).map((v) => Math.round(v * 1e4) / 1e4)).toEqual([20, 0, 0]);
    expect(pkg.assembly.nodes[2]?.color?.[3]).toBeCloseTo(0.3, 9);
    expect(pkg.assembly.nodes[1]?.color?.[0]).toBeCloseTo(0.604, 2);
  });
  test("a material file that is missing is said, and the shapes come in", async () => {
    expect((await read(body, "pair.obj")).assembly.warnings[0]).toMatch(
      /^paint.mtl: not given, so parts have a plain finish/,
    );
    expect(await refusal(read(mtl, "paint.mtl"))).toMatch(/lies beside a model/);
  });
  test("a face that names a vertex that does not exist is said with its line", async () => {
    expect(
      await refusal(
        read(
          OBJ(
            [
              [0, 0, 0],
              [1, 0, 0],
            ],
            "f 1 2 9",
          ),
          "a.obj",
        ),
      ),
    ).toMatch(/line 4 names the vertex 9, and there are 2/);
    expect(await refusal(read(strToU8("hello"), "a.obj"))).toMatch(/not an OBJ/);
    expect(
      await refusal(
        read(
          OBJ(
            [
              [0, 0, 0],
              [1, 0, 0],
              ["x" as never, 0, 1],
            ],
            "f 1 2 3",
          ),
          "a.obj",
        ),
      ),
    ).toMatch(/not a usable number/);
  });
  test("parts whose names collide are told apart", async () => {
    const pkg = await read(
      OBJ([...corners(4, 4, 4), ...corners(3, 4, 4)], `o Nut\n${soup(36)}\no Nut\n${soup(36, 37)}`),
      "n.obj",
    );
    expect(names(pkg)).toEqual(["n", "n/Nut", "n/Nut#2"]);
  });
});

const MODEL = (resources: string, build: string, unit = "millimeter") =>
  `<?xml version="1.0"?><model unit="${unit}" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>${resources}</resources><build>${build}</build></model>`;
const MESH = (w: number, d: number, h: number, paint = "") => {
  const g = boxGeometry("b", [w, d, h]);
  const v = Array.from(
    { length: g.positions.length / 3 },
    (_, i) => `<vertex x="${g.positions[3 * i]}" y="${g.positions[3 * i + 1]}" z="${g.positions[3 * i + 2]}"/>`,
  ).join("");
  const t = Array.from(
    { length: g.indices.length / 3 },
    (_, i) =>
      `<triangle v1="${g.indices[3 * i]}" v2="${g.indices[3 * i + 1]}" v3="${g.indices[3 * i + 2]}"${i < 2 ? paint : ""}/>`,
  ).join("");
  return `<mesh><vertices>${v}</vertices><triangles>${t}</triangles></mesh>`;
};
const threemf = (model: string) =>
  zipSync({
    "3D/3dmodel.model": strToU8(model),
    "_rels/.rels": strToU8(
      '<Relationships><Relationship Target="/3D/3dmodel.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
    ),
  });

describe("3MF", () => {
  test("objects, components and placements come in with unit and colours", async () => {
    const file = threemf(
      MODEL(
        `<basematerials id="9"><base name="Red" displaycolor="#C04020"/><base name="Blue" displaycolor="#2040C080"/></basematerials>
         <object id="1" name="Wheel ä" type="model" pid="9" pindex="0">${MESH(1, 2, 3)}</object>
         <object id="2" name="Cart" type="model"><components><component objectid="1" transform="1 0 0 0 1 0 0 0 1 5 0 0"/><component objectid="1" transform="0 1 0 -1 0 0 0 0 1 -5 0 0"/></components></object>`,
        '<item objectid="2" transform="1 0 0 0 1 0 0 0 1 0 0 10"/>',
        "centimeter",
      ),
    );
    expect(detectFormat(file, "cart.zip")).toBe("3mf");
    const pkg = await read(file, "cart.3mf");
    expect(names(pkg)).toEqual(["Cart", "Cart/Wheel ä", "Cart/Wheel ä#2"]);
    expect(pkg.geometries).toHaveLength(1);
    expect(size(pkg, "Cart/Wheel ä").map(Math.round)).toEqual([10, 20, 30]);
    expect(size(pkg, "Cart/Wheel ä#2").map(Math.round)).toEqual([20, 10, 30]);
    expect(pkg.assembly.unit).toBe("cm");
    expect(pkg.assembly.nodes[1]?.color?.[0]).toBeCloseTo(0.527, 2);
    const index = indexAssembly(pkg.assembly);
    expect(Math.round(nth(index.homeWorld, 16 * 2 + 12))).toBe(-50);
    expect(Math.round(nth(index.homeWorld, 16 * 2 + 14))).toBe(100);
  });
  test("a colour on triangles makes faces of their own", async () => {
    const pkg = await read(
      threemf(
        MODEL(
          `<basematerials id="9"><base displaycolor="#C04020"/></basematerials><object id="1">${MESH(1, 2, 3, ' pid="9" p1="0"')}</object>`,
          '<item objectid="1"/>',
        ),
      ),
      "a.3mf",
    );
    expect(pkg.geometries[0]?.faces.length).toBe(24);
    expect(pkg.geometries[0]?.faces[11]).toBe(0xc04020);
  });
  test("says what is wrong", async () => {
    expect(await refusal(read(strToU8("nope"), "a.3mf"))).toMatch(/not an archive/);
    expect(await refusal(read(threemf("<model><resources>"), "a.3mf"))).toMatch(/not valid XML/);
    expect(await refusal(read(threemf(MODEL("", '<item objectid="7"/>')), "a.3mf"))).toMatch(
      /object 7, which is not in it/,
    );
    expect(
      await refusal(
        read(
          threemf(
            MODEL(`<object id="1"><components><component objectid="1"/></components></object>`, '<item objectid="1"/>'),
          ),
          "a.3mf",
        ),
      ),
    ).toMatch(/contains itself/);
    expect(await refusal(read(threemf(MODEL(`<object id="1">${MESH(1, 1, 1)}</object>`, "")), "a.3mf"))).toMatch(
      /build is empty/,
    );
    expect(
      await refusal(
        read(
          threemf(
            MODEL(`<object id="1">${MESH(1, 1, 1).replace('v1="0"', 'v1="99"')}</object>`, '<item objectid="1"/>'),
          ),
          "a.3mf",
        ),
      ),
    ).toMatch(/vertex that does not exist/);
    expect(await refusal(read(threemf(MODEL("", "")).subarray(0, 60), "a.3mf"))).toMatch(/could not be unpacked/);
  });
});

/** A small glTF document: one box used twice. */
function gltf(): Document {
  const g = boxGeometry("b", [0.1, 0.2, 0.3]);
  const doc = new Document();
  const buffer = doc.createBuffer();
  const primitive = doc
    .createPrimitive()
    .setAttribute("POSITION", doc.createAccessor().setType("VEC3").setArray(g.positions).setBuffer(buffer))
    .setAttribute("NORMAL", doc.createAccessor().setType("VEC3").setArray(g.normals).setBuffer(buffer))
    .setIndices(doc.createAccessor().setType("SCALAR").setArray(Uint16Array.from(g.indices)).setBuffer(buffer))
    .setMaterial(doc.createMaterial("m").setBaseColorFactor([0.2, 0.4, 0.6, 1]));
  const mesh = doc.createMesh("Box").addPrimitive(primitive);
  const root = doc
    .createNode("Cart")
    .addChild(doc.createNode("Wheel").setMesh(mesh))
    .addChild(doc.createNode("Wheel").setMesh(mesh).setTranslation([1, 0, 0]));
  doc.createScene().addChild(root);
  return doc;
}

describe("glTF", () => {
  test("with its buffer beside it, or inside it, in metres made millimetres", async () => {
    const { json, resources } = await new WebIO().writeJSON(gltf());
    const [uri, data] = Object.entries(resources)[0] as [string, Uint8Array];
    const main = strToU8(JSON.stringify(json));
    const pkg = await read(
      packBundle([
        { name: "cart.gltf", bytes: main },
        { name: uri, bytes: data },
      ]),
      "cart.zip",
    );
    expect(size(pkg, "Cart/Wheel").map(Math.round)).toEqual([100, 200, 300]);
    expect(pkg.assembly.format).toBe("gltf");
    expect(await refusal(read(main, "cart.gltf"))).toMatch(new RegExp(`cart.gltf needs ${uri}, which was not given`));
    const inside = {
      ...json,
      buffers: [
        { ...json.buffers?.[0], uri: `data:application/octet-stream;base64,${Buffer.from(data).toString("base64")}` },
      ],
    };
    expect(names(await read(strToU8(JSON.stringify(inside)), "cart.gltf"))).toEqual([
      "Cart",
      "Cart/Wheel",
      "Cart/Wheel#2",
    ]);
    expect(await refusal(read(strToU8("{"), "cart.gltf"))).toMatch(/not valid JSON/);
  });
  test("compressed by either method gives the same box", async () => {
    const withDraco = gltf();
    withDraco.createExtension(KHRDracoMeshCompression).setRequired(true);
    const packed = await new WebIO()
      .registerExtensions([KHRDracoMeshCompression])
      .registerDependencies({ "draco3d.encoder": await draco.createEncoderModule() })
      .writeBinary(withDraco);
    const a = await read(packed, "cart.glb");
    size(a, "Cart/Wheel").forEach((v, k) => {
      expect(v).toBeCloseTo(nth([100, 200, 300], k), 1);
    });
    await MeshoptEncoder.ready;
    const withMeshopt = gltf();
    withMeshopt
      .createExtension(EXTMeshoptCompression)
      .setRequired(true)
      .setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
    const meshopt = await new WebIO()
      .registerExtensions([EXTMeshoptCompression])
      .registerDependencies({ "meshopt.encoder": MeshoptEncoder })
      .writeBinary(withMeshopt);
    size(await read(meshopt, "cart.glb"), "Cart/Wheel").forEach((v, k) => {
      expect(v).toBeCloseTo(nth([100, 200, 300], k), 1);
    });
  });
});

test("an archive with two models, or with none, is refused with what to do", async () => {
  expect(
    await refusal(
      read(
        packBundle([
          { name: "a.obj", bytes: strToU8("v 0 0 0") },
          { name: "b.obj", bytes: strToU8("v 0 0 0") },
        ]),
        "x.zip",
      ),
    ),
  ).toMatch(/several models \(a.obj, b.obj\)/);
  expect(await refusal(read(packBundle([{ name: "a.txt", bytes: strToU8("hello") }]), "x.zip"))).toMatch(
    /no model that Plextan reads/,
  );
  expect(extentOf(await read(binaryStl(corners(10, 20, 30)), "b.stl"))).toBeCloseTo(30, 4);
});
