import { database } from "../../../../../server/database/pool";
import { notFound, reviewed } from "../../../../../server/http/route";
import { getAsset } from "../../../../../server/repositories/assets";
import { roundFilm } from "../../../../../server/review/rounds";

/** The assembly of a round as package bytes. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request }) => {
  const { packageSha256 } = await roundFilm(database(), me.round);
  const tag = `"${packageSha256}"`;
  if (request.headers.get("if-none-match") === tag) return new Response(null, { status: 304, headers: { ETag: tag } });
  const bytes = await getAsset(database(), me, packageSha256);
  if (!bytes) throw notFound("assembly");
  return new Response(bytes as BodyInit, {
    headers: { "Content-Type": "model/gltf-binary", ETag: tag, "Cache-Control": "private, no-cache" },
  });
});
