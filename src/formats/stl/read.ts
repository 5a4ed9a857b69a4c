import { STLLoader } from "three/examples/jsm/loaders/STLLoader.js";
import type { RawNode } from "../../core/assembly/build";
import { type ImportSettings, SOURCE_UNITS } from "../../core/assembly/importSettings";
import type { AssemblyPackage } from "../../core/assembly/package";
import type { Geometry } from "../../core/geometry/geometry";
import { ImportError, type ImportProgress } from "../importError";
import { assemble, IDENTITY } from "../mesh/assemble";
import { buildMesh, faultWarnings } from "../mesh/build";

/** True when STL bytes are text: they begin with "solid" and hold a facet or the closing word. */
export function isTextStl(bytes: Uint8Array): boolean {
  const head = new TextDecoder("latin1").decode(bytes.subarray(0, 2048));
  if (!/^\s*solid\b/i.test(head)) return false;
  return bytes.length !== binaryLength(bytes) && /\b(facet|endsolid)\b/i.test(new TextDecoder("latin1").decode(bytes.subarray(0, Math.min(bytes.length, 65536))));
}

function binaryLength(bytes: Uint8Array): number {
  return bytes.length < 84 ? -1 : 84 + 50 * new DataView(bytes.buffer, bytes.byteOffset).getUint32(80, true);
}

const NUMBER = String.raw`[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?`;
const VERTEX = new RegExp(String.raw`^\s*${NUMBER}\s+${NUMBER}\s+${NUMBER}(?=\s)`, "i");

/** The loader passes over vertices that are not three numbers, which would leave holes. @throws ImportError with the line */
function checkVertices(text: string): void {
  const word = /\bvertex\b/gi;
  for (let m = word.exec(text); m; m = word.exec(text)) {
    const rest = text.slice(word.lastIndex, word.lastIndex + 160);
    if (VERTEX.test(rest)) continue;
    const line = text.slice(0, m.index).split("\n").length;
    throw new ImportError("unreadable", `The STL file holds a coordinate that is not a usable number (line ${line}). Repair the mesh or export it again.`);
  }
}

/** Reads STL, text or binary; solids of a text file become parts. @throws ImportError */
export function readStl(given: Uint8Array, fileName: string, settings: ImportSettings, progress?: ImportProgress): AssemblyPackage {
  progress?.("read", null);
  const bytes = new Uint8Array(given);
  const text = isTextStl(bytes);
  if (text) {
    if (!/endsolid[^\n]*\s*$/i.test(new TextDecoder("latin1").decode(bytes.subarray(Math.max(0, bytes.length - 1024))))) {
      throw new ImportError("truncated", 'The STL file ends too early: its closing "endsolid" is missing. It was probably cut off; export or copy it again.');
    }
  } else {
    const expected = binaryLength(bytes);
    if (expected < 0) throw new ImportError("truncated", `The STL file is too short (${bytes.length} bytes; a binary one has at least 84). Export it again.`);
    if (expected > bytes.length) {
      throw new ImportError(
        "truncated",
        `The STL file ends too early: its header announces ${(expected - 84) / 50} triangles, ${Math.floor((bytes.length - 84) / 50)} are there. Export or copy it again.`,
      );
    }
  }
  let geometry: ReturnType<STLLoader["parse"]>;
  try {
    geometry = new STLLoader().parse(text ? new TextDecoder().decode(bytes) : bytes.buffer);
  } catch (error) {
    throw new ImportError("unreadable", `The STL file could not be read: ${(error as Error).message}. Export it again.`);
  }
  if (text) checkVertices(new TextDecoder("latin1").decode(bytes));
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
    const made = buildMesh(`g${geometries.length}`, [{ corners: corners.subarray(3 * g.start, 3 * (g.start + g.count)), packed: -1 }], "STL", faults);
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
  return assemble(roots, geometries, fileName, { format: "stl", unit: settings.unit ?? "mm", up: settings.up ?? "z", warnings: faultWarnings(faults), kind: "STL" });
}
