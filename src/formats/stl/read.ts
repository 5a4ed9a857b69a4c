import { STLLoader } from "three/examples/jsm/loaders/STLLoader.js";
import type { RawNode } from "../../core/assembly/build";
import { type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import type { Geometry } from "../../core/geometry/geometry";
import { ImportError, type ImportProgress } from "../importError";
import { assemble, IDENTITY } from "../mesh/assemble";
import { buildMesh, faultWarnings } from "../mesh/build";
import { decodeText, parseNumber } from "../text";

/** True when STL bytes are text: they begin with "solid" and hold a facet or the closing word. */
export function isTextStl(bytes: Uint8Array): boolean {
  const head = new TextDecoder("latin1").decode(bytes.subarray(0, 2048));
  if (!/^\s*solid\b/i.test(head)) return false;
  return (
    bytes.length !== binaryLength(bytes) &&
    /\b(facet|endsolid)\b/i.test(new TextDecoder("latin1").decode(bytes.subarray(0, Math.min(bytes.length, 65536))))
  );
}

function binaryLength(bytes: Uint8Array): number {
  return bytes.length < 84 ? -1 : 84 + 50 * new DataView(bytes.buffer, bytes.byteOffset).getUint32(80, true);
}

/**
 * Reads the text word by word as the loader does not: each facet is one loop of exactly three corners, each corner
 * three numbers. @throws ImportError with the line
 */
function checkText(text: string): void {
  const bad = (line: number, what: string) =>
    new ImportError("unreadable", `The STL file ${what} (line ${line}). Repair the mesh or export it again.`);
  let corners = 0;
  let facets = 0;
  let open = false;
  let line = 0;
  for (let at = 0; at < text.length; ) {
    const end = text.indexOf("\n", at);
    const words = text
      .slice(at, end < 0 ? text.length : end)
      .trim()
      .split(/\s+/);
    at = end < 0 ? text.length : end + 1;
    line++;
    // Most files have one word a line; some have a whole facet in one.
    for (let i = 0; i < words.length; i++) {
      const word = (words[i] as string).toLowerCase();
      if (word === "solid" || word === "endsolid") break;
      if (word === "facet") {
        if (open) throw bad(line, "begins a facet inside another");
        open = true;
        corners = 0;
      } else if (word === "vertex") {
        corners++;
        for (let k = 1; k <= 3; k++)
          if (Number.isNaN(parseNumber(words[i + k])))
            throw bad(line, "holds a coordinate that is not a usable number");
      } else if (word === "endfacet") {
        if (!open || corners !== 3) throw bad(line, `has a facet of ${corners} corners; there must be three`);
        open = false;
        facets++;
      }
    }
  }
  if (open)
    throw new ImportError(
      "truncated",
      `The STL file ends too early: its last facet is not closed (after ${facets} facets). It was probably cut off; export or copy it again.`,
    );
}

/** Reads STL, text or binary; solids of a text file become parts. @throws ImportError */
export function readStl(
  given: Uint8Array,
  fileName: string,
  settings: ImportSettings,
  progress?: ImportProgress,
): AssemblyPackage {
  progress?.("read", null);
  const bytes = new Uint8Array(given);
  const text = isTextStl(bytes);
  const warnings: string[] = [];
  if (text) {
    if (
      !/endsolid[^\n]*\s*$/i.test(new TextDecoder("latin1").decode(bytes.subarray(Math.max(0, bytes.length - 1024))))
    ) {
      throw new ImportError(
        "truncated",
        'The STL file ends too early: its closing "endsolid" is missing. It was probably cut off; export or copy it again.',
      );
    }
  } else {
    const expected = binaryLength(bytes);
    if (expected < 0)
      throw new ImportError(
        "truncated",
        `The STL file is too short (${bytes.length} bytes; a binary one has at least 84). Export it again.`,
      );
    if (expected > bytes.length) {
      throw new ImportError(
        "truncated",
        `The STL file ends too early: its header announces ${(expected - 84) / 50} triangles, ${Math.floor((bytes.length - 84) / 50)} are there. Export or copy it again.`,
      );
    }
    const rest = bytes.length - expected;
    // Whole triangles more than announced: the count is wrong, and what it leaves out may be most of the part.
    if (rest > 0 && rest % 50 === 0)
      throw new ImportError(
        "unreadable",
        `The STL file is damaged: its header announces ${(expected - 84) / 50} triangles, ${(bytes.length - 84) / 50} are there. Export it again.`,
      );
    if (rest > 0) warnings.push(`The file goes on for ${rest} bytes after its last triangle; they were left out.`);
  }
  const words = text ? decodeText(bytes) : "";
  if (text) checkText(words);
  const geometry = new STLLoader().parse(text ? words : bytes.buffer);
  const scale = SOURCE_UNITS[settings.unit ?? "mm"];
  const source = geometry.getAttribute("position")?.array as Float32Array | undefined;
  const corners = Float64Array.from(source ?? [], (v) => v * scale);
  progress?.("mesh", null);
  const names = (geometry.userData.groupNames as string[] | undefined) ?? [];
  const groups = geometry.groups.length > 1 ? geometry.groups : [{ start: 0, count: corners.length / 3 }];
  const geometries: Geometry[] = [];
  const roots: RawNode[] = [];
  const faults = { degenerate: 0 };
  groups.forEach((g, i) => {
    const made = buildMesh(
      `g${geometries.length}`,
      [{ corners: corners.subarray(3 * g.start, 3 * (g.start + g.count)), packed: -1 }],
      "STL",
      faults,
    );
    if (!made) return;
    geometries.push(made);
    roots.push({
      name: names[i] || (groups.length > 1 ? `Solid ${i + 1}` : fileName.replace(/\.[^.]*$/, "")),
      home: [...IDENTITY],
      geometry: geometries.length - 1,
      color: null,
      children: [],
    });
  });
  return assemble(roots, geometries, fileName, {
    format: "stl",
    unit: settings.unit ?? "mm",
    up: settings.up ?? "z",
    warnings: [...warnings, ...faultWarnings(faults)],
    kind: "STL",
  });
}
