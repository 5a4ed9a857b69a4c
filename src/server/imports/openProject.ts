import { ProjectFileError, shownIn, soundsOf } from "../../formats/out/project/file";
import type { Actor } from "../access/actor";
import { consistentRead, type Database, transaction } from "../database/pool";
import type { Spool } from "../files/spool";
import type { KernelPool } from "../kernel/pool";
import { getAssetFile, putAssetFile } from "../repositories/assets";
import { readDocuments } from "../repositories/documentStore";
import { attachFirst, createProject, currentRevision, getProject } from "../repositories/projects";
import { insertRounds, keptRounds } from "../review/kept";

/**
 * Makes a new project from a project file on disk, read by a reader process. Nothing is kept when any of it cannot be
 * read. @returns its id. @throws ProjectFileError
 */
export async function openProjectFile(
  pool: Database,
  kernels: KernelPool,
  actor: Actor,
  path: string,
  spool: Spool,
): Promise<string> {
  const [source, pkg] = [spool.path("source"), spool.path("package")];
  const file = await kernels.run("open", { path, source, package: pkg, beside: spool.path("beside") });
  for (const { path: beside } of [...file.sounds, ...file.packages]) await putAssetFile(pool, actor, beside);
  const sourceSha256 = await putAssetFile(pool, actor, source);
  const packageSha256 = await putAssetFile(pool, actor, pkg);
  return transaction(pool, async (sql) => {
    const id = await createProject(sql, actor, file.name);
    const documents = await attachFirst(
      sql,
      actor,
      id,
      { fileName: file.sourceName, sourceSha256, packageSha256, settings: file.settings, identities: file.identities },
      file.documents,
    );
    await insertRounds(sql, actor, id, documents, file.rounds);
    return id;
  });
}

/**
 * Writes a project, as it is at one moment, as a project file at `out`.
 * @param withRounds with the rounds of review and what was said in them
 * @returns its name, or null when there is nothing that the actor may see
 */
export async function saveProjectFile(
  pool: Database,
  kernels: KernelPool,
  actor: Actor,
  id: string,
  { out, withRounds }: { out: string; withRounds: boolean },
  spool: Spool,
): Promise<string | null> {
  const found = await consistentRead(pool, async (sql) => {
    const project = await getProject(sql, actor, id);
    const revision = await currentRevision(sql, actor, id);
    if (!project || !revision) return null;
    const documents = await readDocuments(sql, actor, id);
    const ids = documents.map((d) => d.id);
    return { project, revision, documents, rounds: withRounds ? await keptRounds(sql, actor, id, ids) : [] };
  });
  if (!found) return null;
  const { project, revision, documents, rounds } = found;
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
    rounds,
  };
  const sounds = [];
  for (const asset of new Set(soundsOf([...documents, ...shownIn(rounds)]).map((s) => s.asset))) {
    const to = spool.path(`sound-${asset.slice(0, 20)}`);
    if (!(await getAssetFile(pool, actor, asset, to)))
      throw new ProjectFileError("A recording of this project is no longer there. Remove it, then save again.");
    sounds.push({ asset, path: to });
  }
  const packages = [];
  for (const sha256 of new Set(rounds.map((r) => r.packageSha256))) {
    if (sha256 === revision.packageSha256) continue;
    const to = spool.path(`package-${sha256.slice(0, 20)}`);
    if (!(await getAssetFile(pool, actor, sha256, to)))
      throw new ProjectFileError("What a round shows is no longer there. Save the project without its rounds.");
    packages.push({ sha256, path: to });
  }
  await kernels.run("write", { project: about, source, package: pkg, sounds, packages, out });
  return project.name;
}
