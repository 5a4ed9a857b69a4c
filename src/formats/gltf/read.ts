import { type GLTF, type JSONDocument, type Mesh, type Node, type Primitive, WebIO } from "@gltf-transform/core";
import { ALL_EXTENSIONS } from "@gltf-transform/extensions";
import { validateBytes } from "gltf-validator";
import { type Assembly, NODE_DEPTH_MAX } from "../../core/assembly/assembly";
import { cleanName, flattenTree, type RawNode } from "../../core/assembly/build";
import { folded } from "../../core/assembly/fold";
import { IMPORT_DEFAULTS, type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import { packLinear } from "../../core/color/srgb";
import { featureEdges } from "../../core/geometry/featureEdges";
import { boundsOf, FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { type Bundle, beside, missingFiles } from "../bundle/bundle";
import { ImportError, type ImportProgress } from "../importError";
import { OCCURRENCES_MAX, tooManyNodes } from "../limits";
import { decodeText } from "../text";

/**
 * Extensions that only say how surfaces look beyond colour, or that are read: what else a file needs cannot be left
 * out.
 */
const READ_EXTENSIONS = new Set([
  "KHR_draco_mesh_compression",
  "EXT_meshopt_compression",
  "KHR_mesh_quantization",
  "KHR_texture_transform",
]);
const harmless = (name: string) =>
  READ_EXTENSIONS.has(name) || /^KHR_(materials_|lights_|texture_basisu|xmp)|^EXT_texture_/.test(name);

// One level for a root that may be put above.
const DEPTH_MAX = NODE_DEPTH_MAX - 2;

interface Severity {
  severity: number;
  code: string;
  message: string;
  pointer?: string;
}

/**
 * Faults that make a file unusable, in words for the user. Others are tolerated, as files in the wild are full of
 * them.
 */
const FATAL: Readonly<Record<string, string>> = {
  NODE_LOOP: "its nodes form a cycle, so the assembly would contain itself",
  ACCESSOR_TOO_LONG: "an accessor points outside its buffer view",
  ACCESSOR_TOTAL_OFFSET_ALIGNMENT: "an accessor is not aligned",
  BUFFER_VIEW_TOO_LONG: "a buffer view points outside its buffer",
  BUFFER_BYTE_LENGTH_MISMATCH: "a buffer is shorter than it says",
  BUFFER_GLB_CHUNK_TOO_BIG: "a buffer is shorter than its chunk",
  UNRESOLVED_REFERENCE: "it refers to something that is not in the file",
  GLB_CHUNK_TOO_BIG: "a chunk is longer than the file",
  GLB_LENGTH_MISMATCH: "its length is not what its header says (it was probably cut off)",
  GLB_UNEXPECTED_END_OF_CHUNK_DATA: "it ends in the middle of a chunk (it was probably cut off)",
  GLB_UNEXPECTED_END_OF_CHUNK_HEADER: "it ends in the middle of a chunk (it was probably cut off)",
  GLB_UNEXPECTED_END_OF_HEADER: "it ends in its header (it was probably cut off)",
  INVALID_JSON: "its description is not valid JSON",
  ACCESSOR_INVALID_FLOAT: "it holds coordinates that are not numbers",
  ACCESSOR_INDEX_OOB: "a triangle names a vertex that does not exist",
};

/**
 * Reads a GLB (glTF 2.0 binary) into a package; meshes used by several nodes stay shared.
 * @throws ImportError with a message for the user.
 */
export async function readGlb(
  given: Uint8Array,
  fileName: string,
  progress?: ImportProgress,
  settings: ImportSettings = IMPORT_DEFAULTS,
): Promise<AssemblyPackage> {
  // Bytes that came from another process may lie at any offset, where arrays of floats cannot look. (A Node Buffer's
  // own slice would not copy.)
  const bytes = given.byteOffset % 4 === 0 ? given : new Uint8Array(given);
  if (bytes.length === 0) throw new ImportError("empty", "The file is empty (0 bytes). Export it again.");
  if (bytes.length < 12 || new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) !== 0x46546c67) {
    throw new ImportError(
      "not-glb",
      'This is not a GLB file: it does not begin with "glTF". Check that the right file was exported, not just renamed.',
    );
  }
  progress?.("read", null);
  const header = new DataView(bytes.buffer, bytes.byteOffset);
  const version = header.getUint32(4, true);
  if (version !== 2) throw oldVersion(`GLB ${version}`);
  if (bytes.length >= 20)
    checkDescription(
      new TextDecoder().decode(bytes.subarray(20, 20 + header.getUint32(12, true))).replaceAll("\0", " "),
      "GLB",
    );
  await check(bytes, "GLB", { name: fileName, bytes, beside: new Map() });
  const json = await new WebIO().binaryToJSON(bytes);
  return readDocument(json, fileName, "GLB", settings, progress);
}

/**
 * Reads a glTF whose buffers are inside it or lie beside it. @throws ImportError that names files that are not there.
 */
export async function readGltf(
  bundle: Bundle,
  progress?: ImportProgress,
  settings: ImportSettings = IMPORT_DEFAULTS,
): Promise<AssemblyPackage> {
  progress?.("read", null);
  const json = checkDescription(decodeText(bundle.bytes), "glTF");
  const buffers = (json.buffers ?? []).flatMap((b) => (b.uri && !b.uri.startsWith("data:") ? [b.uri] : []));
  const missing = buffers.filter((uri) => !beside(bundle, uri));
  if (missing.length > 0) throw missingFiles([...new Set(missing)], bundle.name);
  await check(bundle.bytes, "glTF", bundle);
  const resources: Record<string, Uint8Array> = {};
  for (const uri of buffers) resources[uri] = new Uint8Array(beside(bundle, uri) as Uint8Array);
  // Pictures are not shown yet, so they need not be there.
  json.images = [];
  json.textures = [];
  // Walked as plain data: what it names is in many places, and not all are in the types.
  for (const m of json.materials ?? []) stripTextures(m as unknown as Record<string, unknown>);
  return readDocument({ json, resources } as JSONDocument, bundle.name, "glTF", settings, progress);
}

function stripTextures(m: Record<string, unknown>): void {
  for (const key of Object.keys(m)) {
    if (/Texture$/.test(key)) delete m[key];
    else if (typeof m[key] === "object" && m[key] !== null) stripTextures(m[key] as Record<string, unknown>);
  }
}

async function check(bytes: Uint8Array, kind: string, bundle: Bundle): Promise<void> {
  const report = (await validateBytes(bytes, {
    maxIssues: 2000,
    ignoredIssues: ["ACCESSOR_NON_UNIT"],
    externalResourceFunction: (uri: string) => {
      const found = beside(bundle, uri);
      return found ? Promise.resolve(new Uint8Array(found)) : Promise.reject(new Error("not given"));
    },
  })) as { issues: { messages: Severity[] } };
  for (const m of report.issues.messages) {
    const words = FATAL[m.code];
    if (words && m.severity === 0)
      throw new ImportError(
        "unreadable",
        `The ${kind} file is damaged: ${words}${m.pointer ? ` (at ${m.pointer})` : ""}. Export it again.`,
      );
  }
}

const oldVersion = (what: string) =>
  new ImportError(
    "unreadable",
    `This is ${what}, an older form than the glTF 2.0 that Plextan reads. Export it as glTF 2.0 (.glb), or convert it.`,
  );

/** Levels of brackets in a description; ours and others' have about ten. */
const NESTING_MAX = 100;

/**
 * Looks a description over before the decoders see it: they follow it without looking where it leads. Its version,
 * how deep it nests, and that its nodes form trees within the limits.
 * @throws ImportError
 */
function checkDescription(text: string, kind: "GLB" | "glTF"): GLTF.IGLTF {
  let depth = 0;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (quoted) {
      if (c === 92) i++;
      else if (c === 34) quoted = false;
    } else if (c === 34) quoted = true;
    else if (c === 123 || c === 91) {
      if (++depth > NESTING_MAX)
        throw new ImportError(
          "unreadable",
          `The ${kind} file is damaged: its description nests deeper than ${NESTING_MAX} levels. Export it again.`,
        );
    } else if (c === 125 || c === 93) depth--;
  }
  let json: GLTF.IGLTF;
  try {
    json = JSON.parse(text) as GLTF.IGLTF;
  } catch {
    throw new ImportError(
      "unreadable",
      `The ${kind} file is damaged: its description is not valid JSON. Export it again.`,
    );
  }
  if (typeof json !== "object" || json === null)
    throw new ImportError(
      "unreadable",
      `The ${kind} file is damaged: its description is not an object. Export it again.`,
    );
  // The first version kept everything in objects by name, and need not say its version.
  if (/^[01]\./.test(String(json.asset?.version ?? "")) || (json.nodes !== undefined && !Array.isArray(json.nodes)))
    throw oldVersion("glTF 1.0");
  if (!json.asset)
    throw new ImportError(
      "unreadable",
      "This is not a glTF file: it does not say its version. Check that the right file was exported, not just renamed.",
    );
  checkNodes(json, kind);
  return json;
}

function checkNodes(json: GLTF.IGLTF, kind: string): void {
  const nodes = json.nodes ?? [];
  if (nodes.length > OCCURRENCES_MAX) throw tooManyNodes(kind, nodes.length);
  const parent = new Int32Array(nodes.length).fill(-1);
  nodes.forEach((node, i) => {
    for (const child of Array.isArray(node?.children) ? node.children : []) {
      if (!Number.isInteger(child) || child < 0 || child >= nodes.length) continue; // The validator names it.
      if (child === i)
        throw new ImportError(
          "unreadable",
          `The ${kind} file is damaged: its nodes form a cycle, so the assembly would contain itself. Export it again.`,
        );
      if (parent[child] !== -1 && parent[child] !== i)
        throw new ImportError(
          "unreadable",
          `The ${kind} file is damaged: the node ${child} has two owners. Export it again.`,
        );
      parent[child] = i;
    }
  });
  const depth = new Int32Array(nodes.length).fill(-1);
  for (let i = 0; i < nodes.length; i++) {
    // Up to the first whose depth is known, then down again; a way longer than there are nodes is a circle.
    const way: number[] = [];
    let at = i;
    while (at >= 0 && depth[at] === -1) {
      way.push(at);
      at = nth(parent, at);
      if (way.length > nodes.length)
        throw new ImportError(
          "unreadable",
          `The ${kind} file is damaged: its nodes form a cycle, so the assembly would contain itself. Export it again.`,
        );
    }
    let d = at >= 0 ? nth(depth, at) : -1;
    for (const n of way.reverse()) depth[n] = ++d;
    if (d > DEPTH_MAX)
      throw new ImportError(
        "unreadable",
        `The ${kind} file nests deeper than ${DEPTH_MAX} levels. Export it with a flatter structure.`,
      );
  }
}

/** Decoders of compressed meshes, loaded only when a file needs them. */
async function decoders(needs: readonly string[]): Promise<Record<string, unknown>> {
  const out: Record<string, unknown> = {};
  if (needs.includes("KHR_draco_mesh_compression")) {
    const { default: draco } = await import("draco3dgltf");
    out["draco3d.decoder"] = await draco.createDecoderModule();
  }
  if (needs.includes("EXT_meshopt_compression")) {
    const { MeshoptDecoder } = await import("meshoptimizer");
    await MeshoptDecoder.ready;
    out["meshopt.decoder"] = MeshoptDecoder;
  }
  return out;
}

async function readDocument(
  document: JSONDocument,
  fileName: string,
  kind: "GLB" | "glTF",
  settings: ImportSettings,
  progress?: ImportProgress,
): Promise<AssemblyPackage> {
  // glTF is in metres by its specification; the user may know better.
  const toMm = SOURCE_UNITS[settings.unit ?? "m"];
  const warnings: string[] = [];
  const needs = document.json.extensionsRequired ?? [];
  const unknown = needs.filter((n) => !harmless(n));
  if (unknown.length > 0)
    throw new ImportError(
      "unreadable",
      `The ${kind} file needs ${unknown.join(", ")}, which Plextan does not read. Export it without that extension.`,
    );
  const io = new WebIO()
    .registerExtensions(ALL_EXTENSIONS)
    .registerDependencies(await decoders(document.json.extensionsUsed ?? []));
  const root = (await io.readJSON(document)).getRoot();
  progress?.("mesh", 0);
  const scene = root.getDefaultScene() ?? root.listScenes()[0];
  const geometries: Geometry[] = [];
  const known = new Map<Mesh, { geometry: number; color: RawNode["color"] }>();
  const meshes = root.listMeshes().length;
  let leftOut = 0;
  const partOf = (mesh: Mesh) => {
    const found = known.get(mesh);
    if (found) return found;
    const made = readMesh(mesh, `g${geometries.length}`, toMm);
    leftOut += mesh.listPrimitives().filter((p) => p.getMode() < TRIANGLES).length;
    if (made) geometries.push(made.geometry);
    const part = made ? { geometry: geometries.length - 1, color: made.color } : { geometry: -1, color: null };
    known.set(mesh, part);
    progress?.("mesh", known.size / Math.max(1, meshes));
    return part;
  };
  const walk = (node: Node, depth: number): RawNode => {
    if (depth > DEPTH_MAX)
      throw new ImportError("unreadable", `The ${kind} file nests deeper than ${DEPTH_MAX} levels.`);
    const mesh = node.getMesh();
    const part = mesh ? partOf(mesh) : { geometry: -1, color: null };
    const home = node.getMatrix().map((v, i) => (i >= 12 && i < 15 ? v * toMm : v));
    if (!home.every(Number.isFinite))
      throw new ImportError(
        "unreadable",
        `The node "${node.getName().slice(0, 60)}" in the ${kind} file has a transform that is not a number.`,
      );
    const children = node.listChildren().map((c) => walk(c, depth + 1));
    const name = node.getName() || mesh?.getName() || "";
    if (children.length > 0 && part.geometry >= 0) {
      children.unshift({
        name: `${name || "Part"} body`,
        home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
        geometry: part.geometry,
        color: part.color,
        children: [],
      });
      return { name, home, geometry: -1, color: null, children };
    }
    return { name, home, geometry: part.geometry, color: part.color, children };
  };
  const roots = (scene?.listChildren() ?? []).map((n) => walk(n, 0));
  if (geometries.length === 0)
    throw new ImportError("no-geometry", `The ${kind} file holds no triangles that could be drawn.`);
  if (leftOut > 0)
    warnings.push(
      `${leftOut} set${leftOut === 1 ? "" : "s"} of points or lines ${leftOut === 1 ? "was" : "were"} left out: only surfaces are drawn.`,
    );
  const title = cleanName(fileName.replace(/\.[^.]*$/, ""), "Assembly").name;
  const tree: RawNode[] =
    roots.length === 1
      ? roots
      : [
          {
            name: title,
            home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
            geometry: -1,
            color: null,
            children: roots,
          },
        ];
  const shown = folded(tree, geometries, warnings);
  const assembly: Assembly = {
    version: 1,
    name: title,
    format: kind === "GLB" ? "glb" : "gltf",
    unit: settings.unit ?? "m",
    up: settings.up ?? "y",
    nodes: flattenTree(shown.roots, warnings),
    geometries: shown.geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
    warnings,
  };
  return { assembly, geometries: shown.geometries };
}

/** All triangle primitives of a mesh as one geometry, a face each. */
function readMesh(mesh: Mesh, id: string, toMm: number): { geometry: Geometry; color: RawNode["color"] } | null {
  const parts = mesh.listPrimitives().filter((p) => p.getMode() >= TRIANGLES && p.getAttribute("POSITION"));
  const pieces = parts.map((p) => readPrimitive(p, toMm)).filter((p) => p.indices.length > 0);
  if (pieces.length === 0) return null;
  const total = (f: (p: (typeof pieces)[number]) => number) => pieces.reduce((s, p) => s + f(p), 0);
  const positions = new Float32Array(total((p) => p.positions.length));
  const normals = new Float32Array(positions.length);
  const indices = new Uint32Array(total((p) => p.indices.length));
  const faces = new Float64Array(pieces.length * FACE_STRIDE);
  let v = 0;
  let c = 0;
  pieces.forEach((p, f) => {
    positions.set(p.positions, v);
    normals.set(p.normals, v);
    for (let i = 0; i < p.indices.length; i++) indices[c + i] = nth(p.indices, i) + v / 3;
    faces.set(
      [
        c / 3,
        p.indices.length / 3,
        SURFACE_KINDS.indexOf("mesh"),
        0,
        0,
        0,
        0,
        0,
        1,
        0,
        0,
        pieces.length > 1 ? p.packed : -1,
      ],
      f * FACE_STRIDE,
    );
    v += p.positions.length;
    c += p.indices.length;
  });
  const geometry: Geometry = {
    id,
    positions,
    normals,
    indices,
    faces,
    edges: featureEdges(positions, normals, indices, faces, { smoothDeg: 30 }),
    bounds: boundsOf(positions),
  };
  return { geometry, color: pieces.length === 1 ? (pieces[0]?.color ?? null) : null };
}

/** The modes of primitives from here on are surfaces: triangles, strips, fans. */
const TRIANGLES = 4;
const STRIP = 5;
const FAN = 6;

/** Corners of triangles, three each, all the same way round (glTF 2.0, 3.7.2.1). Flat ones of strips are left out. */
function trianglesOf(listed: Uint32Array, mode: number): Uint32Array {
  if (mode === TRIANGLES) return listed.subarray(0, listed.length - (listed.length % 3));
  const out: number[] = [];
  for (let i = 0; i + 2 < listed.length; i++) {
    const at = (k: number) => nth(listed, k);
    const [a, b, c] =
      mode === FAN
        ? [at(i + 1), at(i + 2), at(0)]
        : mode === STRIP && i % 2
          ? [at(i), at(i + 2), at(i + 1)]
          : [at(i), at(i + 1), at(i + 2)];
    if (a !== b && b !== c && c !== a) out.push(a, b, c);
  }
  return Uint32Array.from(out);
}

function readPrimitive(primitive: Primitive, toMm: number) {
  const source = primitive.getAttribute("POSITION");
  const count = source?.getCount() ?? 0;
  const positions = new Float32Array(count * 3);
  const element: number[] = [];
  for (let i = 0; i < count; i++) {
    source?.getElement(i, element);
    for (let k = 0; k < 3; k++) positions[3 * i + k] = nth(element, k) * toMm;
  }
  for (const x of positions)
    if (!Number.isFinite(x))
      throw new ImportError("unreadable", "The GLB file holds coordinates that are not numbers. Export it again.");
  const given = primitive.getIndices();
  const listed = new Uint32Array(given ? given.getCount() : count);
  for (let i = 0; i < listed.length; i++) listed[i] = given ? given.getScalar(i) : i;
  const indices = trianglesOf(listed, primitive.getMode());
  for (const i of indices)
    if (i >= count)
      throw new ImportError(
        "unreadable",
        "The GLB file is damaged: a triangle names a vertex that does not exist. Export it again.",
      );
  const normals = new Float32Array(count * 3);
  const normal = primitive.getAttribute("NORMAL");
  if (normal) {
    for (let i = 0; i < count; i++) {
      normal.getElement(i, element);
      normals.set(element.slice(0, 3), 3 * i);
    }
  } else {
    for (let i = 0; i < indices.length; i += 3) {
      const [a, b, d] = [nth(indices, i), nth(indices, i + 1), nth(indices, i + 2)];
      const e = (p: number, k: number) => nth(positions, 3 * p + k) - nth(positions, 3 * a + k);
      const n = [
        e(b, 1) * e(d, 2) - e(b, 2) * e(d, 1),
        e(b, 2) * e(d, 0) - e(b, 0) * e(d, 2),
        e(b, 0) * e(d, 1) - e(b, 1) * e(d, 0),
      ];
      for (const p of [a, b, d]) for (let k = 0; k < 3; k++) normals[3 * p + k] = nth(normals, 3 * p + k) + nth(n, k);
    }
  }
  for (let i = 0; i < normals.length; i += 3) {
    const length = Math.hypot(nth(normals, i), nth(normals, i + 1), nth(normals, i + 2)) || 1;
    for (let k = 0; k < 3; k++) normals[i + k] = nth(normals, i + k) / length;
  }
  const material = primitive.getMaterial();
  const base = material?.getBaseColorFactor() ?? [0.7, 0.7, 0.7, 1];
  const color: RawNode["color"] = material
    ? [base[0], base[1], base[2], material.getAlphaMode() === "BLEND" ? base[3] : 1]
    : null;
  return { positions, normals, indices, color, packed: packLinear(base[0], base[1], base[2]) };
}
