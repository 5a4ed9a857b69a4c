import type { Pool } from "mysql2/promise";
import { readProjectFile } from "../../formats/project/file";
import type { Actor } from "../access/actor";
import { transaction } from "../database/pool";
import { putAsset } from "../repositories/assets";
import { attachAssembly, createProject } from "../repositories/projects";

/** Makes a new project from a project file. Nothing is kept when any of it cannot be read. @returns its id. @throws ProjectFileError */
export async function openProjectFile(pool: Pool, actor: Actor, bytes: Uint8Array): Promise<string> {
  const file = readProjectFile(bytes);
  const sourceSha256 = await putAsset(pool, actor, file.source.bytes);
  const packageSha256 = await putAsset(pool, actor, file.package);
  const id = await transaction(pool, (sql) => createProject(sql, actor, file.name));
  await attachAssembly(pool, actor, id, { fileName: file.source.name, sourceSha256, packageSha256, settings: file.settings, identities: file.identities }, file.documents);
  return id;
}
