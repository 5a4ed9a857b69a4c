import { createHash } from "node:crypto";
import { IMPORT_DEFAULTS } from "../../src/core/assembly/importSettings";
import { encodePackage } from "../../src/core/assembly/package";
import { emptyPreparation } from "../../src/core/document/preparation";
import { readProjectFile, writeProjectFile } from "../../src/formats/out/project/file";
import type { Actor } from "../../src/server/access/actor";
import { type Database, transaction } from "../../src/server/database/pool";
import { putAsset } from "../../src/server/repositories/assets";
import { attachFirst, createProject } from "../../src/server/repositories/projects";
import { cubePackage, key, sequenceOf } from "./assembly";

/** What a file is kept under. */
export const hashOf = (bytes: Uint8Array): string => createHash("sha256").update(bytes).digest("hex");

/** A small project file: a made-up assembly with one keyed arrival. */
export function smallProjectFile(
  name = "Small",
  sequence = sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]),
  sounds: readonly Uint8Array[] = [],
): Uint8Array {
  return writeProjectFile({
    name,
    source: { name: "small.step", bytes: new TextEncoder().encode("ISO-10303-21;") },
    package: encodePackage(cubePackage()),
    settings: IMPORT_DEFAULTS,
    identities: {},
    documents: [
      { kind: "preparation", body: emptyPreparation() },
      { kind: "sequence", body: sequence },
    ],
    ...(sounds.length > 0 ? { sounds: sounds.map((bytes) => ({ asset: hashOf(bytes), bytes })) } : {}),
  });
}

/** Stores a project file's project without a reader process. @returns its id */
export async function storeProject(pool: Database, actor: Actor, bytes = smallProjectFile()): Promise<string> {
  const file = readProjectFile(bytes);
  const sourceSha256 = await putAsset(pool, actor, file.source.bytes);
  const packageSha256 = await putAsset(pool, actor, file.package);
  return transaction(pool, async (sql) => {
    const id = await createProject(sql, actor, file.name);
    await attachFirst(
      sql,
      actor,
      id,
      { fileName: file.source.name, sourceSha256, packageSha256, settings: file.settings, identities: file.identities },
      file.documents,
    );
    return id;
  });
}
