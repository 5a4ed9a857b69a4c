import { database } from "../../../../server/database/pool";
import { readBody, route } from "../../../../server/http/route";
import { openProjectFile } from "../../../../server/imports/openProject";

/** Largest project file that is taken, bytes. */
const LIMIT = 256 * 1024 * 1024;

/** Opens a project file (the body) as a new project. */
export const POST = route(async ({ actor, request }) => {
  const bytes = await readBody(request, LIMIT);
  return Response.json({ id: await openProjectFile(database(), actor, bytes) }, { status: 201 });
});
