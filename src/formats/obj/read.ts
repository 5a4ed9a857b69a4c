import type { BufferGeometry, Group, Material, Mesh } from "three";
import { MTLLoader } from "three/examples/jsm/loaders/MTLLoader.js";
import { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
import type { RawNode } from "../../core/assembly/build";
import { type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import type { Geometry } from "../../core/geometry/geometry";
import { type Bundle, beside, missingFiles } from "../bundle/bundle";
import { ImportError, type ImportProgress } from "../importError";
import { assemble, IDENTITY } from "../mesh/assemble";
import { buildMesh, faultWarnings, linearOf, type MeshPiece } from "../mesh/build";

interface Paint {
  /** sRGB shares. */
  color: [number, number, number];
  opacity: number;
}

/** Reads OBJ with the MTL files it names; objects and groups become parts. @throws ImportError */
export function readObj(bundle: Bundle, settings: ImportSettings, progress?: ImportProgress): AssemblyPackage {
  progress?.("read", null);
  const text = new TextDecoder().decode(bundle.bytes);
  if (!/^\s*(v|o|g|mtllib|#|f)\s/m.test(text))
    throw new ImportError("unreadable", "This is not an OBJ file: it has no lines of vertices or faces. Check that the right file was exported, not just renamed.");
  const warnings: string[] = [];
  const libraries = [...text.matchAll(/^\s*mtllib\s+(.+?)\s*$/gm)].map((m) => m[1] as string);
  const missing = libraries.filter((name) => !beside(bundle, name));
  if (missing.length > 0) throw missingFiles([...new Set(missing)], bundle.name);
  const paints = readPaints(libraries.map((name) => new TextDecoder().decode(beside(bundle, name) as Uint8Array)));
  checkIndices(text);
  let group: Group;
  try {
    group = new OBJLoader().parse(text);
  } catch (error) {
    throw new ImportError("unreadable", `The OBJ file could not be read: ${(error as Error).message.replace(/^THREE\.\w+:\s*/, "")}. Export it again.`);
  }
  progress?.("mesh", 0);
  const scale = SOURCE_UNITS[settings.unit ?? "mm"];
  const geometries: Geometry[] = [];
  const roots: RawNode[] = [];
  const faults = { degenerate: 0 };
  const unknown = new Set<string>();
  const meshes = group.children.filter((c): c is Mesh<BufferGeometry, Material | Material[]> => (c as Mesh).isMesh);
  meshes.forEach((mesh, i) => {
    const source = mesh.geometry.getAttribute("position").array as Float32Array;
    const corners = Float64Array.from(source, (v) => v * scale);
    const materials = Array.isArray(mesh.material) ? mesh.material : [mesh.material];
    const runs = mesh.geometry.groups.length > 0 ? mesh.geometry.groups : [{ start: 0, count: corners.length / 3, materialIndex: 0 }];
    const pieces: MeshPiece[] = [];
    let paint: Paint | null = null;
    for (const run of runs) {
      const name = materials[run.materialIndex ?? 0]?.name ?? "";
      const found = paints.get(name) ?? null;
      if (name && !found && libraries.length > 0) unknown.add(name);
      paint = found;
      pieces.push({ corners: corners.subarray(3 * run.start, 3 * (run.start + run.count)), packed: found ? packed(found) : -1 });
    }
    const made = buildMesh(`g${geometries.length}`, pieces, "OBJ", faults);
    progress?.("mesh", (i + 1) / meshes.length);
    if (!made) return;
    geometries.push(made);
    const color: RawNode["color"] = pieces.length === 1 && paint ? [linearOf(paint.color[0]), linearOf(paint.color[1]), linearOf(paint.color[2]), paint.opacity] : null;
    roots.push({ name: mesh.name || `Part ${i + 1}`, home: [...IDENTITY], geometry: geometries.length - 1, color, children: [] });
  });
  if (unknown.size > 0) warnings.push(`${[...unknown].slice(0, 4).join(", ")}: not in the material file; these parts have a plain finish.`);
  warnings.push(...faultWarnings(faults));
  return assemble(roots, geometries, bundle.name, { format: "obj", unit: settings.unit ?? "mm", up: settings.up ?? "z", warnings, kind: "OBJ" });
}

const packed = (p: Paint) => p.color.reduce((n, v) => (n << 8) | Math.round(255 * Math.min(1, Math.max(0, v))), 0);

/** Colour and opacity of each material. */
function readPaints(files: readonly string[]): Map<string, Paint> {
  const out = new Map<string, Paint>();
  for (const file of files) {
    // The loader's parse only lists what the text says; no texture is fetched.
    const info = (new MTLLoader().parse(file, "") as unknown as { materialsInfo: Record<string, Record<string, unknown>> }).materialsInfo;
    for (const [name, m] of Object.entries(info)) {
      const kd = (m.kd as (string | number)[] | undefined)?.map(Number) ?? [0.72, 0.74, 0.75];
      const opacity = m.d !== undefined ? Number(m.d) : m.tr !== undefined ? 1 - Number(m.tr) : 1;
      out.set(name, { color: [kd[0] ?? 0.7, kd[1] ?? 0.7, kd[2] ?? 0.7], opacity: Number.isFinite(opacity) ? Math.min(1, Math.max(0, opacity)) : 1 });
    }
  }
  return out;
}

/** A face that names a vertex that does not exist would become coordinates that are no numbers; said with its line instead. */
function checkIndices(text: string): void {
  let vertices = 0;
  let line = 0;
  for (const row of text.split("\n")) {
    line++;
    if (row.startsWith("v ")) vertices++;
    else if (row.startsWith("f ")) {
      for (const corner of row.slice(2).trim().split(/\s+/)) {
        const i = Number.parseInt(corner, 10);
        if (!Number.isInteger(i) || i === 0 || i > vertices || -i > vertices) {
          throw new ImportError(
            "unreadable",
            `The OBJ file is damaged: line ${line} names the vertex ${corner.split("/")[0]?.slice(0, 20)}, and there are ${vertices} before it. Export it again.`,
          );
        }
      }
    }
  }
}
