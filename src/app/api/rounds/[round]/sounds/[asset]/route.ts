import { soundKind } from "../../../../../../core/sound/kind";
import { database } from "../../../../../../server/database/pool";
import { notFound, reviewed } from "../../../../../../server/http/route";
import { getAsset } from "../../../../../../server/repositories/assets";
import { roundFilm } from "../../../../../../server/review/rounds";

/** A sound that is heard in a round. */
export const GET = reviewed<{ round: string; asset: string }>("review.look", async ({ me, params }) => {
  const { sequence } = await roundFilm(database(), me.round);
  // Other files of the workspace are none of a guest's business.
  const heard = Object.values(sequence.sounds ?? {}).some((s) => s.asset === params.asset);
  const bytes = heard ? await getAsset(database(), me, params.asset) : null;
  const kind = bytes && soundKind(bytes.subarray(0, 16));
  if (!bytes || !kind) throw notFound("recording");
  return new Response(bytes as Uint8Array<ArrayBuffer>, {
    headers: { "Content-Type": kind.type, "Cache-Control": "private, max-age=31536000, immutable" },
  });
});
