import { checkSize, detectFormat, SOURCE_MAX_BYTES } from "../../../../../formats/read";
import { database } from "../../../../../server/database/pool";
import { HttpError, idFrom, notFound, readBody, route } from "../../../../../server/http/route";
import { putAsset } from "../../../../../server/repositories/assets";
import { createJob } from "../../../../../server/repositories/jobs";
import { currentRevision, getProject } from "../../../../../server/repositories/projects";

/** Takes a CAD file (the body; its name in `?name=`) and starts a job that reads it. */
export const POST = route<{ id: string }>(async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const sql = database();
  if (!(await getProject(sql, actor, id))) throw notFound("project");
  if (await currentRevision(sql, actor, id)) throw new HttpError(409, "This project has its assembly already. Make a new project for another file.");
  const fileName = (new URL(request.url).searchParams.get("name") ?? "").split(/[/\\]/).pop()?.slice(0, 255) || "assembly";
  const bytes = await readBody(request, SOURCE_MAX_BYTES);
  checkSize(bytes, detectFormat(bytes, fileName));
  const sourceSha256 = await putAsset(sql, actor, bytes);
  const job = await createJob(sql, actor, id, "import", { fileName, sourceSha256 });
  return Response.json({ job }, { status: 202 });
});
