import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { database } from "../../../server/database/pool";
import { readJson, route } from "../../../server/http/route";
import { createProject, listProjects } from "../../../server/repositories/projects";

const NewProject = z.object({ name: nameSchema("A project") });

export const GET = route(async ({ actor }) => Response.json({ projects: await listProjects(database(), actor) }));

export const POST = route(async ({ actor, request }) => {
  const body = await readJson(request, NewProject);
  return Response.json({ id: await createProject(database(), actor, body.name) }, { status: 201 });
});
