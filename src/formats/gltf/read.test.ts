import { Document, type Primitive, WebIO } from "@gltf-transform/core";
import { describe, expect, test } from "vitest";
import { indexAssembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../../core/assembly/importSettings";
import { readGlb } from "./read";

/** A triangle of 1 m by 1 m in the ground plane, or whatever a test makes of it. */
function triangle(
  doc: Document,
  more: {
    indexed?: boolean;
    normals?: boolean;
    colour?: [number, number, number, number];
    alpha?: "OPAQUE" | "MASK" | "BLEND";
  } = {},
): Primitive {
  const buffer = doc.getRoot().listBuffers()[0] ?? doc.createBuffer();
  const make = (type: "VEC3" | "SCALAR", array: Float32Array | Uint16Array) =>
    doc.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const material = doc
    .createMaterial("Paint")
    .setBaseColorFactor(more.colour ?? [0.5, 0.25, 0.125, 1])
    .setAlphaMode(more.alpha ?? "OPAQUE");
  const prim = doc
    .createPrimitive()
    .setAttribute("POSITION", make("VEC3", new Float32Array([0, 0, 0, 1, 0, 0, 0, 0, -1])))
    .setMaterial(material);
  if (more.normals !== false) prim.setAttribute("NORMAL", make("VEC3", new Float32Array([0, 1, 0, 0, 1, 0, 0, 1, 0])));
  if (more.indexed !== false) prim.setIndices(make("SCALAR", new Uint16Array([0, 1, 2])));
  return prim;
}
const written = async (doc: Document, settings = IMPORT_DEFAULTS) =>
  readGlb(await new WebIO().writeBinary(doc), "thing.glb", undefined, settings);

describe("a tree of nodes with meshes", () => {
  test("a node with a mesh and children becomes an owner, with its mesh as a part of its own", async () => {
    const doc = new Document();
    const mesh = doc.createMesh("Plate").addPrimitive(triangle(doc));
    const child = doc.createNode("Bolt").setMesh(mesh).setTranslation([0, 2, 0]);
    const owner = doc.createNode("Frame").setMesh(mesh).addChild(child).setTranslation([1, 0, 0]);
    doc.createScene().addChild(owner);
    const pkg = await written(doc);
    const { nodes } = pkg.assembly;
    const index = indexAssembly(pkg.assembly);
    const frame = nodes.findIndex((n) => n.name === "Frame");
    expect(nodes[frame]?.kind).toBe("assembly");
    expect(nodes.filter((n) => n.kind === "part").every((n) => n.geometry >= 0)).toBe(true);
    // One mesh, two places: the shape is shared.
    expect(pkg.geometries).toHaveLength(1);
    const bolt = nodes.findIndex((n) => n.name === "Bolt");
    // Metres become millimetres, and owners carry what they own.
    expect(Array.from(index.homeWorld.subarray(16 * bolt + 12, 16 * bolt + 15)).map(Math.round)).toEqual([
      1000, 2000, 0,
    ]);
  });
  test("several scenes: the one that the file shows first is taken", async () => {
    const doc = new Document();
    const mesh = doc.createMesh("M").addPrimitive(triangle(doc));
    doc.createScene("Other").addChild(doc.createNode("Old").setMesh(mesh));
    const shown = doc.createScene("Shown").addChild(doc.createNode("New").setMesh(mesh));
    doc.getRoot().setDefaultScene(shown);
    const names = (await written(doc)).assembly.nodes.map((n) => n.name);
    expect(names).toContain("New");
    expect(names).not.toContain("Old");
  });
});

describe("meshes", () => {
  test("without indices are read as they lie, and without normals get those of their faces", async () => {
    const doc = new Document();
    doc
      .createScene()
      .addChild(
        doc
          .createNode("Bare")
          .setMesh(doc.createMesh("B").addPrimitive(triangle(doc, { indexed: false, normals: false }))),
      );
    const g = (await written(doc)).geometries[0];
    expect(g?.indices.length).toBe(3);
    expect(new Set(g?.indices).size).toBe(3);
    for (let v = 0; v < 3; v++)
      expect(Array.from(g?.normals.subarray(3 * v, 3 * v + 3) ?? []).map((n) => Math.round(n))).toEqual([0, 1, 0]);
    expect(g?.bounds.max.map(Math.round)).toEqual([1000, 0, 0]);
    expect(g?.bounds.min.map(Math.round)).toEqual([0, 0, -1000]);
  });
  test("whose triangles name their corners in another order keep it", async () => {
    const doc = new Document();
    const primitive = triangle(doc);
    primitive.getIndices()?.setArray(Uint16Array.from([2, 0, 1]));
    doc.createScene().addChild(doc.createNode("N").setMesh(doc.createMesh("M").addPrimitive(primitive)));
    const given = (await written(doc)).geometries[0];
    const [a, ...others] = Array.from(given?.indices ?? [], (i) =>
      Array.from(given?.positions.subarray(3 * i, 3 * i + 3) ?? [], (v) => Math.round(v) + 0),
    );
    expect([a, ...others].map((p) => p?.join()).sort()).toEqual(["0,0,-1000", "0,0,0", "1000,0,0"]);
  });
  test("of several primitives are one part whose faces keep their colours", async () => {
    const doc = new Document();
    const mesh = doc
      .createMesh("Two")
      .addPrimitive(triangle(doc, { colour: [1, 0, 0, 1] }))
      .addPrimitive(triangle(doc, { colour: [0, 0, 1, 1] }));
    doc.createScene().addChild(doc.createNode("Two").setMesh(mesh));
    const pkg = await written(doc);
    expect(pkg.geometries).toHaveLength(1);
    expect(pkg.geometries[0]?.indices.length).toBe(6);
    expect(Math.max(...(pkg.geometries[0]?.indices ?? []))).toBe(5);
  });
  test("in another unit or with another way up, when that is asked for", async () => {
    const doc = new Document();
    doc.createScene().addChild(doc.createNode("N").setMesh(doc.createMesh("M").addPrimitive(triangle(doc))));
    const inch = await written(doc, { ...IMPORT_DEFAULTS, unit: "in", up: "z" });
    expect(inch.assembly.up).toBe("z");
    const reach = (p: typeof inch) => indexAssembly(p.assembly).worldBounds[3];
    expect(reach(inch)).toBeCloseTo(25.4, 3);
    expect(reach(await written(doc))).toBeCloseTo(1000, 3);
  });
});

test("what is no GLB, cut off or of another kind says so", async () => {
  const doc = new Document();
  doc.createScene().addChild(doc.createNode("N").setMesh(doc.createMesh("M").addPrimitive(triangle(doc))));
  const bytes = await new WebIO().writeBinary(doc);
  await expect(readGlb(bytes.subarray(0, bytes.length - 8), "cut.glb")).rejects.toMatchObject({
    name: "ImportError",
    message: /cut off/,
  });
  await expect(readGlb(new TextEncoder().encode("solid cube"), "cube.glb")).rejects.toThrow(
    /does not begin with "glTF"/,
  );
  const empty = new Document();
  empty.createScene();
  await expect(written(empty)).rejects.toMatchObject({ name: "ImportError" });
});
