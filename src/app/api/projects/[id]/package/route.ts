import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { getAsset } from "../../../../../server/repositories/assets";
import { currentRevision } from "../../../../../server/repositories/projects";

/** The current assembly as package bytes. Content-addressed, so a browser may keep it for ever. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params, request }) => {
  const revision = await currentRevision(database(), actor, idFrom(params.id, "project"));
  if (!revision) throw notFound("assembly");
  const tag = `"${revision.packageSha256}"`;
  if (request.headers.get("if-none-match") === tag) return new Response(null, { status: 304, headers: { ETag: tag } });
  const bytes = await getAsset(database(), actor, revision.packageSha256);
  if (!bytes) throw notFound("assembly");
  return new Response(bytes as BodyInit, {
    headers: { "Content-Type": "model/gltf-binary", ETag: tag, "Cache-Control": "private, no-cache" },
  });
});
