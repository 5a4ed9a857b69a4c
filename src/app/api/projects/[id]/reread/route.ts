import { ImportSettingsSchema } from "../../../../../core/assembly/importSettings";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { createJob } from "../../../../../server/repositories/jobs";
import { currentRevision } from "../../../../../server/repositories/projects";

/** Starts a job that reads the present source file again in another way: finer, in another unit, another way up. */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const settings = await readJson(request, ImportSettingsSchema);
  const revision = await currentRevision(database(), actor, id);
  if (!revision) throw notFound("assembly");
  const job = await createJob(database(), actor, id, "import", {
    fileName: revision.fileName,
    sourceSha256: revision.sourceSha256,
    settings,
    purpose: "revision",
  });
  return Response.json({ job }, { status: 202 });
});
