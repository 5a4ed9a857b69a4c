import { readFile } from "node:fs/promises";
import { indexAssembly } from "../core/assembly/assembly";
import { preparedAssembly } from "../core/assembly/prepared";
import type { Sequence } from "../core/document/sequence";
import type { Geometry } from "../core/geometry/geometry";
import { compile } from "../core/program/compile";
import type { Program } from "../core/program/program";
import { documentsOf, ProjectFileError, readProjectFile } from "../formats/out/project/file";

/** A project file opened at one of its sequences, with its package as stored. @param name of the sequence; the only one by default */
export async function openProject(
  file: string,
  name: string | undefined,
): Promise<{
  program: Program;
  geometries: Geometry[];
  name: string;
  bytes: Uint8Array;
  sounds: Map<string, Uint8Array>;
}> {
  const project = readProjectFile(await readFile(file));
  const { preparation, sequences } = documentsOf(project);
  const sequence: Sequence | undefined =
    name === undefined && sequences.length === 1 ? sequences[0] : sequences.find((s) => s.name === name);
  if (!sequence)
    throw new ProjectFileError(
      `The project has no sequence "${name ?? ""}". It has: ${sequences.map((s) => `"${s.name}"`).join(", ")}.`,
    );
  const index = indexAssembly(preparedAssembly(project.decoded.assembly, preparation));
  return {
    program: compile(index, preparation, sequence),
    ...{ geometries: project.decoded.geometries, name: project.name, bytes: project.package },
    sounds: new Map((project.sounds ?? []).map((s) => [s.asset, s.bytes])),
  };
}
