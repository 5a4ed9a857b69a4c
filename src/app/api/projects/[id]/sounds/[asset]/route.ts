import { z } from "zod";
import { soundKind } from "../../../../../../core/sound/kind";
import { database } from "../../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../../server/http/route";
import { getAsset } from "../../../../../../server/repositories/assets";
import { getProject } from "../../../../../../server/repositories/projects";

const Hash = z.string().regex(/^[0-9a-f]{64}$/);

/** A sound file of a project, as it was brought in. */
export const GET = route<{ id: string; asset: string }>("project.look", async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  const hash = Hash.safeParse(params.asset);
  if (!hash.success || !(await getProject(database(), actor, id))) throw notFound("recording");
  const bytes = await getAsset(database(), actor, hash.data);
  // Other assets of the workspace are none of its business.
  const kind = bytes && soundKind(bytes.subarray(0, 16));
  if (!bytes || !kind) throw notFound("recording");
  return new Response(bytes as Uint8Array<ArrayBuffer>, {
    headers: { "Content-Type": kind.type, "Cache-Control": "private, max-age=31536000, immutable" },
  });
});
