import { z } from "zod";
import { ImportSettingsSchema } from "../../../../../core/assembly/importSettings";
import { cleanText } from "../../../../../core/text/name";
import { checkSize, detectByHead, SOURCE_MAX_BYTES } from "../../../../../formats/detect";
import { database } from "../../../../../server/database/pool";
import { openSpool } from "../../../../../server/files/spool";
import { HttpError, idFrom, notFound, readFile, route } from "../../../../../server/http/route";
import { getAssetFile, putAssetFile } from "../../../../../server/repositories/assets";
import { createJob } from "../../../../../server/repositories/jobs";
import { currentRevision, getProject } from "../../../../../server/repositories/projects";
import { startRuntime } from "../../../../../server/runtime";

const Query = z.object({
  name: z.string().max(1000).default("assembly"),
  purpose: z.enum(["first", "revision"]).default("first"),
  /** The file is to lie beside those of the present assembly: parts that were missing then. */
  beside: z.stringbool().default(false),
  quality: ImportSettingsSchema.shape.quality,
  unit: ImportSettingsSchema.shape.unit,
  up: ImportSettingsSchema.shape.up,
});

/**
 * Takes a CAD file (the body; its name in `?name=`, how to read it in `?quality=&unit=&up=`) and starts a job that
 * reads it. With `?purpose=revision` the result waits to be looked at and is not put in place.
 */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const sql = database();
  if (!(await getProject(sql, actor, id))) throw notFound("project");
  const query = Query.safeParse(Object.fromEntries(new URL(request.url).searchParams));
  if (!query.success)
    throw new HttpError(
      400,
      `The request is not valid at ${query.error.issues[0]?.path.join(".")}: ${query.error.issues[0]?.message}.`,
    );
  const { name, purpose, beside, ...settings } = query.data;
  const revision = await currentRevision(sql, actor, id);
  if (revision && purpose === "first")
    throw new HttpError(
      409,
      "This project has its assembly already. Bring the file in as a revision, or make a new project for it.",
    );
  if (!revision && purpose === "revision")
    throw new HttpError(409, "This project has no assembly yet that could be revised.");
  const own = cleanText(name.split(/[/\\]/).pop() ?? "").slice(0, 250) || "assembly";
  const spool = await openSpool();
  try {
    const file = await readFile(request, actor, spool, SOURCE_MAX_BYTES);
    checkSize(file.size, detectByHead(file.head, file.size, own));
    let { path } = file;
    let fileName = own;
    if (revision && beside) {
      const present = spool.path("present");
      if (!(await getAssetFile(sql, actor, revision.sourceSha256, present))) throw notFound("assembly");
      path = spool.path("together.zip");
      fileName = `${revision.fileName.replace(/\.[^.]+$/, "")}.zip`;
      const files = [
        { path: present, name: revision.fileName },
        { path: file.path, name: own },
      ];
      await startRuntime().kernels.run("merge", { files, out: path });
    }
    const sourceSha256 = await putAssetFile(sql, actor, path);
    const job = await createJob(sql, actor, id, "import", { fileName, sourceSha256, settings, purpose });
    return Response.json({ job }, { status: 202 });
  } finally {
    await spool.clear();
  }
});
