import { readFile } from "node:fs/promises";
import path from "node:path";
import type { AssemblyIndex } from "../../core/assembly/assembly";
import { indexAssembly } from "../../core/assembly/assembly";
import type { ImportSettings } from "../../core/assembly/importSettings";
import { preparedAssembly } from "../../core/assembly/prepared";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence } from "../../core/document/sequence";
import type { Actor } from "../access/actor";
import { type Database, transaction } from "../database/pool";
import type { KernelPool } from "../kernel/pool";
import { demoActor } from "../people/demo";
import { putAsset } from "../repositories/assets";
import { attachFirst, createProject, listProjects, setThumbnail } from "../repositories/projects";
import { importSource } from "./importer";

/** What the demo brings besides its CAD file. */
export interface DemoContent {
  name: string;
  file: string;
  picture: string | null;
  /** Sound files that its sequences hold. */
  sounds?: readonly string[];
  /** How the file is read; the usual way by default. */
  settings?: ImportSettings;
  preparation(index: AssemblyIndex): Preparation;
  /** For the assembly as it is prepared. */
  sequences(index: AssemblyIndex, preparation: Preparation): Sequence[];
}

/**
 * Makes the demo project if the demo's animator has none of that name, by the same way a user's file goes.
 * @returns its id, and whether it was made now.
 */
export async function seedDemo(
  pool: Database,
  kernels: () => KernelPool,
  content: DemoContent,
  log: (line: string) => void,
): Promise<{ id: string; made: boolean; actor: Actor }> {
  const actor = await demoActor(pool);
  const known = (await listProjects(pool, actor)).find((p) => p.name === content.name && p.fileName !== null);
  if (known) return { id: known.id, made: false, actor };
  const bytes = await readFile(content.file);
  const sourceSha256 = await putAsset(pool, actor, bytes);
  const fileName = path.basename(content.file);
  let last = "";
  const { assembly, packageSha256, settings } = await importSource(
    pool,
    kernels(),
    actor,
    { fileName, sourceSha256, ...(content.settings ? { settings: content.settings } : {}) },
    (stage) => {
      if (stage !== last) log(`  ${stage} ...`);
      last = stage;
    },
  );
  for (const sound of content.sounds ?? []) await putAsset(pool, actor, await readFile(sound));
  const preparation = content.preparation(indexAssembly(assembly));
  const index = indexAssembly(preparedAssembly(assembly, preparation));
  const documents = [
    { kind: "preparation" as const, body: preparation },
    ...content.sequences(index, preparation).map((body) => ({ kind: "sequence" as const, body })),
  ];
  const revision = { fileName, sourceSha256, packageSha256, settings, identities: {} };
  const id = await transaction(pool, async (sql) => {
    const project = await createProject(sql, actor, content.name);
    await attachFirst(sql, actor, project, revision, documents);
    return project;
  });
  if (content.picture) {
    const png = await readFile(content.picture).catch(() => null);
    if (png) await setThumbnail(pool, actor, id, png);
  }
  return { id, made: true, actor };
}
