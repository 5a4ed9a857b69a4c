import { readFile } from "node:fs/promises";
import path from "node:path";
import { indexAssembly } from "../core/assembly/assembly";
import { countNodes } from "../core/assembly/build";
import { nth } from "../core/math/packed";
import { KernelPool } from "../server/kernel/pool";

/** What `plextan inspect` prints. `home` is the local transform: 16 numbers, column-major, mm. */
export interface Inspection {
  format: string;
  unit: string;
  up: string;
  parts: number;
  assemblies: number;
  geometries: number;
  triangles: number;
  warnings: string[];
  nodes: {
    key: string;
    name: string;
    kind: "assembly" | "part";
    parent: string | null;
    depth: number;
    geometry: string | null;
    triangles: number;
    home: number[];
  }[];
}

/** Reads a CAD file and lists its tree. @throws ImportError */
export async function inspect(file: string): Promise<Inspection> {
  const bytes = await readFile(file);
  // As the server reads it: in a process of its own, within limits, so that whatever the file holds there is an answer.
  const step = !/\.(glb|gltf|obj|stl|3mf)$/i.test(file);
  const kernels = new KernelPool({ processes: step ? 1 : 0, light: step ? 0 : 1 });
  const { assembly } = await kernels.read(bytes, path.basename(file), () => {}).finally(() => kernels.close());
  const { depth } = indexAssembly(assembly);
  const { parts, assemblies, triangles } = countNodes(assembly);
  return {
    format: assembly.format,
    unit: assembly.unit,
    up: assembly.up,
    parts,
    assemblies,
    geometries: assembly.geometries.length,
    triangles,
    warnings: assembly.warnings,
    nodes: assembly.nodes.map((n, i) => ({
      key: n.key,
      name: n.name,
      kind: n.kind,
      parent: n.parent < 0 ? null : (assembly.nodes[n.parent]?.key ?? null),
      depth: nth(depth, i),
      geometry: assembly.geometries[n.geometry]?.id ?? null,
      triangles: assembly.geometries[n.geometry]?.triangles ?? 0,
      home: n.home,
    })),
  };
}
