import { database } from "../../../../../server/database/pool";
import { packageResponse } from "../../../../../server/http/package";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { currentRevision } from "../../../../../server/repositories/projects";

/** The current assembly: `?as=glb`, which is also what comes without it, or `?as=wire`. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params, request }) => {
  const revision = await currentRevision(database(), actor, idFrom(params.id, "project"));
  if (!revision) throw notFound("assembly");
  return packageResponse(request, actor, revision.packageSha256);
});
