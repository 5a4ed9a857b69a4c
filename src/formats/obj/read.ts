import type { BufferGeometry, Group, Material, Mesh } from "three";
import { MTLLoader } from "three/examples/jsm/loaders/MTLLoader.js";
import { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
import type { RawNode } from "../../core/assembly/build";
import { type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import { linearOf } from "../../core/color/srgb";
import type { Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { type Bundle, beside } from "../bundle/bundle";
import { ImportError, type ImportProgress } from "../importError";
import { assemble, IDENTITY } from "../mesh/assemble";
import { buildMesh, faultWarnings, type MeshPiece } from "../mesh/build";
import { decodeText, excerpt, parseNumber } from "../text";

interface Paint {
  /** sRGB shares. */
  color: Triple;
  opacity: number;
}

/** Reads OBJ with the MTL files it names; objects and groups become parts. @throws ImportError */
export function readObj(bundle: Bundle, settings: ImportSettings, progress?: ImportProgress): AssemblyPackage {
  progress?.("read", null);
  // A line that ends in a backslash goes on in the next.
  const text = decodeText(bundle.bytes).replace(/\\\n/g, " ");
  if (!/^\s*(v|o|g|mtllib|#|f)\s/m.test(text))
    throw new ImportError(
      "unreadable",
      "This is not an OBJ file: it has no lines of vertices or faces. Check that the right file was exported, not just renamed.",
    );
  const warnings: string[] = [];
  const libraries = [...new Set([...text.matchAll(/^\s*mtllib\s+(.+?)\s*$/gm)].map((m) => m[1] as string))];
  const missing = libraries.filter((name) => !beside(bundle, name));
  if (missing.length > 0)
    warnings.push(
      `${missing.slice(0, 4).join(", ")}: not given, so parts have a plain finish. Bring the file in again together with it for its colours.`,
    );
  const paints = readPaints(
    libraries.filter((name) => !missing.includes(name)).map((name) => decodeText(beside(bundle, name) as Uint8Array)),
  );
  warnings.push(...checkLines(text));
  const group: Group = new OBJLoader().parse(text);
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
    const runs =
      mesh.geometry.groups.length > 0
        ? mesh.geometry.groups
        : [{ start: 0, count: corners.length / 3, materialIndex: 0 }];
    const pieces: MeshPiece[] = [];
    let paint: Paint | null = null;
    for (const run of runs) {
      const name = materials[run.materialIndex ?? 0]?.name ?? "";
      const found = paints.get(name) ?? null;
      if (name && !found && libraries.length > missing.length) unknown.add(name);
      paint = found;
      pieces.push({
        corners: corners.subarray(3 * run.start, 3 * (run.start + run.count)),
        packed: found ? packed(found) : -1,
      });
    }
    const made = buildMesh(`g${geometries.length}`, pieces, "OBJ", faults);
    progress?.("mesh", (i + 1) / meshes.length);
    if (!made) return;
    geometries.push(made);
    const color: RawNode["color"] =
      pieces.length === 1 && paint
        ? [linearOf(paint.color[0]), linearOf(paint.color[1]), linearOf(paint.color[2]), paint.opacity]
        : null;
    roots.push({
      name: mesh.name || `Part ${i + 1}`,
      home: [...IDENTITY],
      geometry: geometries.length - 1,
      color,
      children: [],
    });
  });
  if (unknown.size > 0)
    warnings.push(`${[...unknown].slice(0, 4).join(", ")}: not in the material file; these parts have a plain finish.`);
  warnings.push(...faultWarnings(faults));
  return assemble(roots, geometries, bundle.name, {
    format: "obj",
    unit: settings.unit ?? "mm",
    up: settings.up ?? "z",
    warnings,
    kind: "OBJ",
  });
}

const packed = (p: Paint) => p.color.reduce((n, v) => (n << 8) | Math.round(255 * Math.min(1, Math.max(0, v))), 0);

/** Colour and opacity of each material. */
function readPaints(files: readonly string[]): Map<string, Paint> {
  const out = new Map<string, Paint>();
  for (const file of files) {
    // The loader's parse only lists what the text says; no texture is fetched.
    const info = (
      new MTLLoader().parse(file, "") as unknown as { materialsInfo: Record<string, Record<string, unknown>> }
    ).materialsInfo;
    for (const [name, m] of Object.entries(info)) {
      const kd = (m.kd as (string | number)[] | undefined)?.map(Number) ?? [0.72, 0.74, 0.75];
      const opacity = m.d !== undefined ? Number(m.d) : m.tr !== undefined ? 1 - Number(m.tr) : 1;
      out.set(name, {
        color: [kd[0] ?? 0.7, kd[1] ?? 0.7, kd[2] ?? 0.7],
        opacity: Number.isFinite(opacity) ? Math.min(1, Math.max(0, opacity)) : 1,
      });
    }
  }
  return out;
}

/** Most corners of one face: more is a fault of the file, and would cost time that grows with their square. */
const CORNERS_MAX = 4096;

/**
 * Reads every line that the loader would take on trust: numbers that are none, faces with too few or too many corners,
 * corners that are not there. @returns what looks as if the file had been cut off. @throws ImportError with the line
 */
function checkLines(text: string): string[] {
  const bad = (line: number, what: string) =>
    new ImportError("unreadable", `The OBJ file is damaged: line ${line} ${what}. Export it again.`);
  const counts = { v: 0, vt: 0, vn: 0 };
  let used = 0;
  let line = 0;
  let lastKind = "";
  for (let at = 0; at < text.length; ) {
    const end = text.indexOf("\n", at);
    const row = text.slice(at, end < 0 ? text.length : end).trim();
    at = end < 0 ? text.length : end + 1;
    line++;
    const [kind = "", ...words] = row.split(/\s+/);
    if (kind === "" || kind.startsWith("#")) continue;
    lastKind = kind;
    if (kind === "v" || kind === "vn" || kind === "vt") {
      counts[kind]++;
      const wanted = kind === "vt" ? 1 : 3;
      for (let k = 0; k < wanted; k++)
        if (Number.isNaN(parseNumber(words[k])))
          throw bad(line, `holds "${excerpt(words[k])}", which is not a usable number`);
    } else if (kind === "f") {
      const corners = words.indexOf("#") < 0 ? words : words.slice(0, words.indexOf("#"));
      if (corners.length < 3)
        throw bad(line, `has a face of ${corners.length} corners (it may have been cut off there)`);
      if (corners.length > CORNERS_MAX)
        throw bad(line, `has a face of ${corners.length} corners; ${CORNERS_MAX} can be read`);
      for (const corner of corners) used = Math.max(used, cornerAt(corner, counts, line, bad));
    }
  }
  const out: string[] = [];
  if (counts.v > used && used > 0)
    out.push(
      `The last ${counts.v - used} of ${counts.v} vertices are used by no face. If the file was cut off, parts are missing; compare it with the original.`,
    );
  else if (!text.endsWith("\n") && (lastKind === "f" || lastKind === "v"))
    out.push(
      "The file ends in the middle of its last line, as far as can be seen. If it was cut off, parts are missing.",
    );
  return out;
}

/** The vertex a corner such as "3/1/2" or "-1" names, counted from 1. */
function cornerAt(
  corner: string,
  counts: { v: number; vt: number; vn: number },
  line: number,
  bad: (line: number, what: string) => ImportError,
): number {
  const parts = corner.split("/");
  const lists = [counts.v, counts.vt, counts.vn];
  for (let k = 0; k < Math.min(3, parts.length); k++) {
    const text = parts[k] as string;
    if (text === "" && k > 0) continue;
    const i = Number(text);
    const count = nth(lists, k);
    if (!/^-?\d+$/.test(text) || i === 0 || i > count || -i > count)
      throw bad(
        line,
        `names the ${["vertex", "texture point", "normal"][k]} ${excerpt(text)}, and there are ${count} before it`,
      );
  }
  const v = Number(parts[0]);
  return v > 0 ? v : counts.v + v + 1;
}
