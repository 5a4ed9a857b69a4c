import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { feedOf } from "../../../../../server/live/feed";
import { projectNews } from "../../../../../server/live/presence";
import { seesProject } from "../../../../../server/repositories/projects";

export const dynamic = "force-dynamic";

/** Tells, as server-sent events, how far a project's documents are and who is at its desk. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params, request, judge }) => {
  const id = idFrom(params.id, "project");
  if (!(await seesProject(database(), actor, id))) throw notFound("project");
  return feedOf(`project ${id}`, async () => ({ news: JSON.stringify(await projectNews(database(), id)) }), {
    signal: request.signal,
    judge: async () => (await judge()) && (await seesProject(database(), actor, id)),
  });
});
