import { may, refusalOf } from "../../../../../server/access/matrix";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { seesProject } from "../../../../../server/repositories/projects";

/** What an open desk asks every few seconds: whether its user still sees the project, and may change it. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params }) => {
  if (!(await seesProject(database(), actor, idFrom(params.id, "project")))) throw notFound("project");
  return Response.json({
    role: actor.role,
    locked: may(actor.role, "project.edit") ? null : refusalOf(actor.role, "project.edit"),
  });
});
