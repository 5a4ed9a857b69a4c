import { PROJECT_FILE_EXTENSION, writeProjectFile } from "../../../../../formats/project/file";
import { database } from "../../../../../server/database/pool";
import { attachment, idFrom, notFound, route } from "../../../../../server/http/route";
import { getAsset } from "../../../../../server/repositories/assets";
import { listDocuments } from "../../../../../server/repositories/documents";
import { currentRevision, getProject } from "../../../../../server/repositories/projects";

/** The whole project as one open file. */
export const GET = route<{ id: string }>(async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  const sql = database();
  const project = await getProject(sql, actor, id);
  const revision = await currentRevision(sql, actor, id);
  if (!project || !revision) throw notFound("project");
  const [source, pkg, documents] = await Promise.all([getAsset(sql, actor, revision.sourceSha256), getAsset(sql, actor, revision.packageSha256), listDocuments(sql, actor, id)]);
  if (!source || !pkg) throw notFound("assembly");
  const bytes = writeProjectFile({
    name: project.name,
    source: { name: revision.fileName, bytes: source },
    package: pkg,
    settings: revision.settings,
    identities: revision.identities,
    documents: documents.map((d) => ({ kind: d.kind, body: d.body })),
  });
  return new Response(bytes as BodyInit, { headers: { "Content-Type": "application/zip", "Content-Disposition": attachment(`${project.name}${PROJECT_FILE_EXTENSION}`) } });
});
