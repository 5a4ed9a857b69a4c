import { z } from "zod";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { bePresent, leave, projectNews } from "../../../../../server/live/presence";
import { seesProject } from "../../../../../server/repositories/projects";

/** The same that the feed tells, for where events do not get through. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  if (!(await seesProject(database(), actor, id))) throw notFound("project");
  return Response.json(await projectNews(database(), id));
});

const id = z.string().regex(/^[a-z0-9]{20}$/);
const At = z.strictObject({ tab: id, sequence: id, step: z.string().max(64), leaves: z.boolean().default(false) });

/** Says at which step a page is, or that it is closed. */
export const POST = route<{ id: string }>("project.look", async ({ actor, params, request }) => {
  const project = idFrom(params.id, "project");
  const { leaves, ...at } = await readJson(request, At, 4096);
  if (!(await seesProject(database(), actor, project))) throw notFound("project");
  if (leaves) await leave(database(), actor, at.tab);
  else await bePresent(database(), actor, project, at);
  return Response.json({ ok: true });
});
