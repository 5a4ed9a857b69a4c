import { SOUND_MAX_BYTES, soundKind } from "../../../../../core/sound/kind";
import { cleanText } from "../../../../../core/text/name";
import { database } from "../../../../../server/database/pool";
import { openSpool } from "../../../../../server/files/spool";
import { HttpError, idFrom, notFound, readFile, route } from "../../../../../server/http/route";
import { putAssetFile } from "../../../../../server/repositories/assets";
import { getProject } from "../../../../../server/repositories/projects";

/** Takes a sound file (the body; its name in `?name=`) for a project's recordings. Answers with the hash it is kept under. */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const sql = database();
  if (!(await getProject(sql, actor, id))) throw notFound("project");
  const name = cleanText(new URL(request.url).searchParams.get("name") ?? "").slice(0, 250) || "recording";
  const spool = await openSpool();
  try {
    const file = await readFile(request, actor, spool, SOUND_MAX_BYTES);
    if (file.size === 0) throw new HttpError(422, `"${name}" is empty (0 bytes). Record it again.`);
    if (!soundKind(file.head))
      throw new HttpError(422, `"${name}" is not a sound that is taken. Bring in WAV, MP3, M4A, Ogg or FLAC.`);
    return Response.json({ asset: await putAssetFile(sql, actor, file.path), size: file.size }, { status: 201 });
  } finally {
    await spool.clear();
  }
});
