import { z } from "zod";
import { database } from "../../../server/database/pool";
import { readJson, route } from "../../../server/http/route";
import { createProject, listProjects } from "../../../server/repositories/projects";

const name = z.string().trim().min(1, "A project needs a name.").max(200, "A project's name may have at most 200 characters.");
const NewProject = z.object({ name });

export const GET = route(async ({ actor }) => Response.json({ projects: await listProjects(database(), actor) }));

export const POST = route(async ({ actor, request }) => {
  const body = await readJson(request, NewProject);
  return Response.json({ id: await createProject(database(), actor, body.name) }, { status: 201 });
});
