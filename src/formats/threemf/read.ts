import { XMLParser, XMLValidator } from "fast-xml-parser";
import type { RawNode } from "../../core/assembly/build";
import { type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import { linearOf } from "../../core/color/srgb";
import type { Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { unpack } from "../bundle/bundle";
import { ImportError, type ImportProgress } from "../importError";
import { OCCURRENCES_MAX, tooManyNodes } from "../limits";
import { assemble, IDENTITY } from "../mesh/assemble";
import { buildMesh, faultWarnings, type MeshPiece } from "../mesh/build";
import { excerpt, parseNumber } from "../text";

const UNIT_MM: Readonly<Record<string, number>> = {
  micron: 0.001,
  millimeter: 1,
  centimeter: 10,
  inch: 25.4,
  foot: 304.8,
  meter: 1000,
};
const UNIT_NAME: Readonly<Record<string, string>> = {
  micron: "µm",
  millimeter: "mm",
  centimeter: "cm",
  inch: "in",
  foot: "ft",
  meter: "m",
};
const DEPTH_MAX = 100;

type Xml = Record<string, unknown>;
const list = (v: unknown): Xml[] => (v === undefined || v === "" ? [] : Array.isArray(v) ? (v as Xml[]) : [v as Xml]);
const text = (v: unknown): string => (v === undefined ? "" : String(v));

interface ObjectEntry {
  path: string;
  xml: Xml;
}

/**
 * Reads 3MF (core specification 1.3, with the production extension's split models and the materials extension's
 * colour groups): objects, components with their placements, build items. @throws ImportError
 */
export function read3mf(
  bytes: Uint8Array,
  fileName: string,
  settings: ImportSettings,
  progress?: ImportProgress,
): AssemblyPackage {
  progress?.("read", null);
  const files = unpack(bytes, "3MF file", (n) => /\.model$|\.rels$/i.test(n));
  const models = new Map(
    [...files].filter(([n]) => /\.model$/i.test(n)).map(([n, b]) => [`/${n.replace(/^\//, "")}`, b]),
  );
  const rootPath =
    rootModel(files) ?? [...models.keys()].find((n) => /3dmodel\.model$/i.test(n)) ?? [...models.keys()][0];
  if (!rootPath || !models.has(rootPath))
    throw new ImportError("unreadable", "This is not a 3MF file: the archive holds no 3D model. Export it again.");
  const parsed = new Map<string, Xml>();
  for (const [path, data] of models) parsed.set(path, parseModel(data, path));
  const root = parsed.get(rootPath) as Xml;
  const said = text(root["@unit"]) || "millimeter";
  const unit = Object.hasOwn(UNIT_MM, said) ? said : "millimeter";
  const scale = settings.unit ? SOURCE_UNITS[settings.unit] : (UNIT_MM[unit] ?? 1);
  const objects = new Map<string, ObjectEntry>();
  const paints = new Map<string, (readonly [number, number, number, number])[]>();
  for (const [path, model] of parsed) {
    for (const resources of list(model.resources)) {
      for (const o of list(resources.object)) objects.set(`${path}#${text(o["@id"])}`, { path, xml: o });
      for (const g of list(resources.basematerials))
        paints.set(
          `${path}#${text(g["@id"])}`,
          list(g.base).map((b) => colorOf(text(b["@displaycolor"]))),
        );
      for (const g of list(resources.colorgroup))
        paints.set(
          `${path}#${text(g["@id"])}`,
          list(g.color).map((c) => colorOf(text(c["@color"]))),
        );
    }
  }
  const geometries: Geometry[] = [];
  const faults = { degenerate: 0 };
  const warnings: string[] = [];
  if (unit !== said)
    warnings.push(
      `The file names the unit "${excerpt(said)}", which 3MF does not have; it was taken as millimetres. Choose the right one under "Assembly" in the head if that is wrong.`,
    );
  const known = new Map<ObjectEntry, { geometry: number; color: RawNode["color"] }>();
  const bodyOf = (o: ObjectEntry) => {
    const found = known.get(o);
    if (found) return found;
    const made = readBody(o, paints, scale, `g${geometries.length}`, faults);
    const body = made
      ? { geometry: geometries.push(made.geometry) - 1, color: made.color }
      : { geometry: -1, color: null };
    known.set(o, body);
    progress?.("mesh", known.size / Math.max(1, objects.size));
    return body;
  };
  // Counted before anything is built: objects that place one another twice double at every level.
  const sizes = new Map<string, number>();
  const sizeOf = (path: string, id: string, above: readonly string[]): number => {
    const key = `${path}#${id}`;
    const known = sizes.get(key);
    if (known !== undefined) return known;
    const object = objects.get(key);
    if (!object) return 1;
    if (above.includes(key))
      throw new ImportError(
        "unreadable",
        `The 3MF file is damaged: the object ${id} contains itself. Export it again.`,
      );
    if (above.length >= DEPTH_MAX)
      throw new ImportError(
        "unreadable",
        `The 3MF file nests objects deeper than ${DEPTH_MAX} levels. Export it with a flatter structure.`,
      );
    let n = 1;
    for (const c of list(object.xml.components).flatMap((x) => list(x.component)))
      n += sizeOf(text(c["@path"]) || path, text(c["@objectid"]), [...above, key]);
    sizes.set(key, n);
    return n;
  };
  const make = (path: string, id: string, home: number[], above: readonly string[]): RawNode => {
    const key = `${path}#${id}`;
    const object = objects.get(key);
    if (!object)
      throw new ImportError(
        "unreadable",
        `The 3MF file is damaged: it places the object ${id}, which is not in it. Export it again.`,
      );
    const name = text(object.xml["@name"]) || text(object.xml["@partnumber"]) || `Object ${id}`;
    const components = list(object.xml.components).flatMap((c) => list(c.component));
    if (components.length > 0) {
      const children = components.map((c) =>
        make(text(c["@path"]) || path, text(c["@objectid"]), placement(text(c["@transform"]), scale), [...above, key]),
      );
      return { name, home, geometry: -1, color: null, children };
    }
    const body = bodyOf(object);
    return { name, home, geometry: body.geometry, color: body.color, children: [] };
  };
  const items = list(root.build).flatMap((b) => list(b.item));
  if (items.length === 0)
    throw new ImportError(
      "no-geometry",
      "The 3MF file places no object: its build is empty. Export it again with the parts you need.",
    );
  const total = items.reduce((n, i) => n + sizeOf(text(i["@path"]) || rootPath, text(i["@objectid"]), []), 0);
  if (total > OCCURRENCES_MAX) throw tooManyNodes("3MF", total);
  const roots = items.map((i) =>
    make(text(i["@path"]) || rootPath, text(i["@objectid"]), placement(text(i["@transform"]), scale), []),
  );
  warnings.push(...faultWarnings(faults));
  return assemble(roots, geometries, fileName, {
    format: "3mf",
    unit: settings.unit ?? UNIT_NAME[unit] ?? "mm",
    up: settings.up ?? "z",
    warnings,
    kind: "3MF",
  });
}

function parseModel(data: Uint8Array, path: string): Xml {
  const source = new TextDecoder().decode(data);
  checkNesting(source, path);
  const valid = XMLValidator.validate(source);
  if (valid !== true)
    throw new ImportError(
      "unreadable",
      `The 3MF file is damaged: ${path} is not valid XML (line ${valid.err.line}). Export it again.`,
    );
  const parser = new XMLParser({
    ignoreAttributes: false,
    attributeNamePrefix: "@",
    removeNSPrefix: true,
    parseAttributeValue: false,
    processEntities: false,
  });
  const model = (parser.parse(source) as { model?: Xml }).model;
  if (!model || typeof model !== "object")
    throw new ImportError("unreadable", `The 3MF file is damaged: ${path} holds no model. Export it again.`);
  return model;
}

/** Elements within elements beyond what any model has would use up the parser's stack. */
function checkNesting(source: string, path: string): void {
  let depth = 0;
  for (let at = source.indexOf("<"); at >= 0; at = source.indexOf("<", at + 1)) {
    const next = source.charCodeAt(at + 1);
    if (next === 47) depth--;
    else if (next !== 33 && next !== 63) {
      const close = source.indexOf(">", at);
      if (close > 0 && source.charCodeAt(close - 1) !== 47) depth++;
    }
    if (depth > DEPTH_MAX)
      throw new ImportError(
        "unreadable",
        `The 3MF file is damaged: ${path} nests elements deeper than ${DEPTH_MAX} levels. Export it again.`,
      );
  }
}

/** The model that the archive's relationships name as its start. */
function rootModel(files: ReadonlyMap<string, Uint8Array>): string | null {
  const rels = [...files].find(([n]) => /^\/?_rels\/\.rels$/.test(n))?.[1];
  if (!rels) return null;
  const match = /<Relationship\b[^>]*Type="[^"]*3dmodel"[^>]*>/i.exec(new TextDecoder().decode(rels))?.[0];
  const target = match && /Target="([^"]+)"/.exec(match)?.[1];
  return target ? (target.startsWith("/") ? target : `/${target}`) : null;
}

/** Twelve numbers, rows of a 4x3 matrix for row vectors, to a column-major 4x4 in mm. */
function placement(s: string, scale: number): number[] {
  if (s.trim() === "") return [...IDENTITY];
  const m = s.trim().split(/\s+/).map(Number);
  if (m.length !== 12 || !m.every(Number.isFinite))
    throw new ImportError(
      "unreadable",
      `The 3MF file is damaged: "${s.slice(0, 60)}" is not a placement. Export it again.`,
    );
  const at = (i: number) => nth(m, i);
  return [
    at(0),
    at(1),
    at(2),
    0,
    at(3),
    at(4),
    at(5),
    0,
    at(6),
    at(7),
    at(8),
    0,
    at(9) * scale,
    at(10) * scale,
    at(11) * scale,
    1,
  ];
}

/** "#RRGGBB" or "#RRGGBBAA" as sRGB shares and opacity. */
function colorOf(code: string): readonly [number, number, number, number] {
  const hex = /^#([0-9a-f]{6})([0-9a-f]{2})?$/i.exec(code);
  if (!hex) return [0.72, 0.74, 0.75, 1];
  const n = Number.parseInt(hex[1] as string, 16);
  return [
    ((n >> 16) & 255) / 255,
    ((n >> 8) & 255) / 255,
    (n & 255) / 255,
    hex[2] ? Number.parseInt(hex[2], 16) / 255 : 1,
  ];
}

function readBody(
  o: ObjectEntry,
  paints: ReadonlyMap<string, (readonly [number, number, number, number])[]>,
  scale: number,
  id: string,
  faults: { degenerate: number },
): { geometry: Geometry; color: RawNode["color"] } | null {
  const mesh = list(o.xml.mesh)[0];
  if (!mesh) return null;
  const vertices = list(mesh.vertices).flatMap((v) => list(v.vertex));
  const points = new Float64Array(vertices.length * 3);
  vertices.forEach((v, i) => {
    for (const [k, axis] of ["@x", "@y", "@z"].entries()) {
      const value = parseNumber(text(v[axis]).trim());
      if (Number.isNaN(value))
        throw new ImportError(
          "unreadable",
          `The 3MF file is damaged: vertex ${i + 1} of an object has no usable ${axis.slice(1)} ("${excerpt(text(v[axis]))}"). Export it again.`,
        );
      points[3 * i + k] = value * scale;
    }
  });
  const byPaint = new Map<string, number[]>();
  const own = o.xml["@pid"] === undefined ? "" : `${text(o.xml["@pid"])}:${text(o.xml["@pindex"]) || "0"}`;
  for (const t of list(mesh.triangles).flatMap((x) => list(x.triangle))) {
    const corners = ["@v1", "@v2", "@v3"].map((k) => parseNumber(text(t[k]).trim()));
    for (const c of corners) {
      if (!Number.isInteger(c) || c < 0 || c >= vertices.length)
        throw new ImportError(
          "unreadable",
          "The 3MF file is damaged: a triangle names a vertex that does not exist. Export it again.",
        );
    }
    const paint =
      t["@pid"] !== undefined || t["@p1"] !== undefined
        ? `${text(t["@pid"] ?? o.xml["@pid"])}:${text(t["@p1"]) || "0"}`
        : own;
    const target = byPaint.get(paint);
    if (target) target.push(...corners);
    else byPaint.set(paint, corners);
  }
  const paintOf = (key: string) => {
    const [group, index] = key.split(":");
    return key === "" ? undefined : paints.get(`${o.path}#${group}`)?.[Number(index)];
  };
  const pieces = [...byPaint].map(([key, corners]): MeshPiece => {
    const out = new Float64Array(corners.length * 3);
    corners.forEach((c, i) => {
      out.set(points.subarray(3 * c, 3 * c + 3), 3 * i);
    });
    const p = paintOf(key);
    return {
      corners: out,
      packed: p ? (Math.round(p[0] * 255) << 16) | (Math.round(p[1] * 255) << 8) | Math.round(p[2] * 255) : -1,
    };
  });
  const geometry = buildMesh(id, pieces, "3MF", faults);
  if (!geometry) return null;
  const only = byPaint.size === 1 ? paintOf([...byPaint.keys()][0] as string) : undefined;
  return { geometry, color: only ? [linearOf(only[0]), linearOf(only[1]), linearOf(only[2]), only[3]] : null };
}
