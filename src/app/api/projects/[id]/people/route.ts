import { z } from "zod";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { listPeople } from "../../../../../server/people/people";
import { limitProject, projectPeople } from "../../../../../server/people/projectPeople";

/** Who sees a project, and who could. */
export const GET = route<{ id: string }>("project.limit", async ({ actor, params }) => {
  const now = await projectPeople(database(), actor, idFrom(params.id, "project"));
  if (!now) throw notFound("project");
  return Response.json({ ...now, everybody: await listPeople(database(), actor) });
});

const Limit = z.strictObject({
  limited: z.boolean(),
  people: z.array(z.string().regex(/^[a-z0-9]{20}$/)).max(500),
});

/** Limits a project to some people, or opens it to all. Owners see every project. */
export const PUT = route<{ id: string }>("project.limit", async ({ actor, params, request, from }) => {
  const asked = await readJson(request, Limit, 65_536);
  await limitProject(database(), actor, idFrom(params.id, "project"), asked, from);
  return Response.json({ ok: true });
});
