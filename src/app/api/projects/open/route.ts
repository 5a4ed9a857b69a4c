import { database } from "../../../../server/database/pool";
import { openSpool } from "../../../../server/files/spool";
import { readFile, route } from "../../../../server/http/route";
import { openProjectFile } from "../../../../server/imports/openProject";
import { startRuntime } from "../../../../server/runtime";

/** Largest project file that is taken, bytes. */
const LIMIT = 256 * 1024 * 1024;

/** Opens a project file (the body) as a new project. */
export const POST = route("projects.make", async ({ actor, request }) => {
  const spool = await openSpool();
  try {
    const { path } = await readFile(request, actor, spool, LIMIT);
    return Response.json(
      { id: await openProjectFile(database(), startRuntime().kernels, actor, path, spool) },
      { status: 201 },
    );
  } finally {
    await spool.clear();
  }
});
