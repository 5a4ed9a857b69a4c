import { database } from "../../../../../server/database/pool";
import { expectType, HttpError, idFrom, notFound, readBody, route } from "../../../../../server/http/route";
import { getThumbnail, setThumbnail } from "../../../../../server/repositories/projects";

export const GET = route<{ id: string }>("project.look", async ({ actor, params }) => {
  const png = await getThumbnail(database(), actor, idFrom(params.id, "project"));
  if (!png) throw notFound("picture");
  return new Response(new Uint8Array(png), {
    headers: { "Content-Type": "image/png", "Cache-Control": "private, no-cache" },
  });
});

/** Keeps a small PNG as the project's picture. */
export const PUT = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  expectType(request, ["image/png"]);
  const bytes = await readBody(request, 2 * 1024 * 1024);
  if (bytes[0] !== 0x89 || bytes[1] !== 0x50 || bytes[2] !== 0x4e || bytes[3] !== 0x47)
    throw new HttpError(400, "The picture is not a PNG.");
  if (!(await setThumbnail(database(), actor, idFrom(params.id, "project"), bytes))) throw notFound("project");
  return Response.json({ ok: true });
});
