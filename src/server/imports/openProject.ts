import type { Pool } from "mysql2/promise";
import { ProjectFileError, soundsOf } from "../../formats/out/project/file";
import type { Actor } from "../access/actor";
import { consistentRead, transaction } from "../database/pool";
import type { Spool } from "../files/spool";
import type { KernelPool } from "../kernel/pool";
import { getAssetFile, putAssetFile } from "../repositories/assets";
import { readDocuments } from "../repositories/documentStore";
import { attachFirst, createProject, currentRevision, getProject } from "../repositories/projects";

/**
 * Makes a new project from a project file on disk, read by a reader process. Nothing is kept when any of it cannot be
 * read. @returns its id. @throws ProjectFileError
 */
export async function openProjectFile(
  pool: Pool,
  kernels: KernelPool,
  actor: Actor,
  path: string,
  spool: Spool,
): Promise<string> {
  const [source, pkg] = [spool.path("source"), spool.path("package")];
  const file = await kernels.run("open", { path, source, package: pkg, sounds: spool.path("sound") });
  for (const sound of file.sounds) await putAssetFile(pool, actor, sound.path);
  const sourceSha256 = await putAssetFile(pool, actor, source);
  const packageSha256 = await putAssetFile(pool, actor, pkg);
  return transaction(pool, async (sql) => {
    const id = await createProject(sql, actor, file.name);
    await attachFirst(
      sql,
      actor,
      id,
      { fileName: file.sourceName, sourceSha256, packageSha256, settings: file.settings, identities: file.identities },
      file.documents,
    );
    return id;
  });
}

/**
 * Writes a project, as it is at one moment, as a project file at `out`. @returns its name, or null when there is
 * nothing that the actor may see
 */
export async function saveProjectFile(
  pool: Pool,
  kernels: KernelPool,
  actor: Actor,
  id: string,
  out: string,
  spool: Spool,
): Promise<string | null> {
  const found = await consistentRead(pool, async (sql) => {
    const project = await getProject(sql, actor, id);
    const revision = await currentRevision(sql, actor, id);
    return project && revision ? { project, revision, documents: await readDocuments(sql, actor, id) } : null;
  });
  if (!found) return null;
  const { project, revision, documents } = found;
  const [source, pkg] = [spool.path("source"), spool.path("package")];
  if (
    !(await getAssetFile(pool, actor, revision.sourceSha256, source)) ||
    !(await getAssetFile(pool, actor, revision.packageSha256, pkg))
  )
    return null;
  const about = {
    name: project.name,
    sourceName: revision.fileName,
    settings: revision.settings,
    identities: revision.identities,
    documents: documents.map((d) => ({ kind: d.kind, body: d.body })),
  };
  const sounds = [];
  for (const asset of new Set(soundsOf(documents).map((s) => s.asset))) {
    const to = spool.path(`sound-${asset.slice(0, 20)}`);
    if (!(await getAssetFile(pool, actor, asset, to)))
      throw new ProjectFileError("A recording of this project is no longer there. Remove it, then save again.");
    sounds.push({ asset, path: to });
  }
  await kernels.run("write", { project: about, source, package: pkg, sounds, out });
  return project.name;
}
