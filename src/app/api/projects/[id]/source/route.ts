import { z } from "zod";
import { ImportSettingsSchema } from "../../../../../core/assembly/importSettings";
import { checkSize, detectFormat, SOURCE_MAX_BYTES } from "../../../../../formats/detect";
import { database } from "../../../../../server/database/pool";
import { HttpError, idFrom, notFound, readBody, route } from "../../../../../server/http/route";
import { putAsset } from "../../../../../server/repositories/assets";
import { createJob } from "../../../../../server/repositories/jobs";
import { currentRevision, getProject } from "../../../../../server/repositories/projects";

const Query = z.object({
  name: z.string().max(1000).default("assembly"),
  purpose: z.enum(["first", "revision"]).default("first"),
  quality: ImportSettingsSchema.shape.quality,
  unit: ImportSettingsSchema.shape.unit,
  up: ImportSettingsSchema.shape.up,
});

/**
 * Takes a CAD file (the body; its name in `?name=`, how to read it in `?quality=&unit=&up=`) and starts a job that
 * reads it. With `?purpose=revision` the result waits to be looked at and is not put in place.
 */
export const POST = route<{ id: string }>(async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const sql = database();
  if (!(await getProject(sql, actor, id))) throw notFound("project");
  const query = Query.safeParse(Object.fromEntries(new URL(request.url).searchParams));
  if (!query.success) throw new HttpError(400, `The request is not valid at ${query.error.issues[0]?.path.join(".")}: ${query.error.issues[0]?.message}.`);
  const { name, purpose, ...settings } = query.data;
  const revision = await currentRevision(sql, actor, id);
  if (revision && purpose === "first") throw new HttpError(409, "This project has its assembly already. Bring the file in as a revision, or make a new project for it.");
  if (!revision && purpose === "revision") throw new HttpError(409, "This project has no assembly yet that could be revised.");
  const fileName = name.split(/[/\\]/).pop()?.slice(0, 255) || "assembly";
  const bytes = await readBody(request, SOURCE_MAX_BYTES);
  checkSize(bytes, detectFormat(bytes, fileName));
  const sourceSha256 = await putAsset(sql, actor, bytes);
  const job = await createJob(sql, actor, id, "import", { fileName, sourceSha256, settings, purpose });
  return Response.json({ job }, { status: 202 });
});
