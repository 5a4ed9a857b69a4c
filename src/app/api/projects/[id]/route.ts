import { z } from "zod";
import { nameSchema } from "../../../../core/text/name";
import { may, refusalOf } from "../../../../server/access/matrix";
import { database } from "../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../server/http/route";
import { audited } from "../../../../server/people/accounts";
import { openJob } from "../../../../server/repositories/jobs";
import { currentRevision, deleteProject, getProject, renameProject } from "../../../../server/repositories/projects";

interface Params {
  id: string;
}
const Rename = z.object({ name: nameSchema("A project") });

export const GET = route<Params>("project.look", async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  const project = await getProject(database(), actor, id);
  if (!project) throw notFound("project");
  const revision = await currentRevision(database(), actor, id);
  const job = revision ? null : await openJob(database(), actor, id);
  return Response.json({
    project,
    job,
    // Why nothing may be changed; null where it may.
    locked: may(actor.role, "project.edit") ? null : refusalOf(actor.role, "project.edit"),
    revision: revision
      ? {
          number: revision.number,
          fileName: revision.fileName,
          package: revision.packageSha256,
          settings: revision.settings,
          identities: revision.identities,
        }
      : null,
  });
});

export const PATCH = route<Params>("project.edit", async ({ actor, params, request }) => {
  const body = await readJson(request, Rename);
  if (!(await renameProject(database(), actor, idFrom(params.id, "project"), body.name))) throw notFound("project");
  return Response.json({ ok: true });
});

export const DELETE = route<Params>("project.remove", async ({ actor, params, from }) => {
  const id = idFrom(params.id, "project");
  const project = await getProject(database(), actor, id);
  if (!project || !(await deleteProject(database(), actor, id))) throw notFound("project");
  await audited(database(), actor, "project-removed", from, project.name);
  return Response.json({ ok: true });
});
