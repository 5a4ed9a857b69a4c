import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { may, refusalOf } from "../../../server/access/matrix";
import { database } from "../../../server/database/pool";
import { readJson, route } from "../../../server/http/route";
import { audited } from "../../../server/people/accounts";
import { createProject, listProjects } from "../../../server/repositories/projects";

const NewProject = z.object({ name: nameSchema("A project") });

export const GET = route("projects.list", async ({ actor }) =>
  Response.json({
    projects: await listProjects(database(), actor),
    // Why no project may be made; null where one may.
    locked: may(actor.role, "projects.make") ? null : refusalOf(actor.role, "projects.make"),
    mayLimit: may(actor.role, "project.limit"),
  }),
);

export const POST = route("projects.make", async ({ actor, request, from }) => {
  const body = await readJson(request, NewProject);
  const id = await createProject(database(), actor, body.name);
  await audited(database(), actor, "project-made", from, body.name);
  return Response.json({ id }, { status: 201 });
});
