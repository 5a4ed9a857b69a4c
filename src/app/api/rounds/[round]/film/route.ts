import { database } from "../../../../../server/database/pool";
import { reviewed } from "../../../../../server/http/route";
import { roundFilm } from "../../../../../server/review/rounds";

/** What a round shows: sequence, preparation and names, as they were when it was sent. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me }) => {
  const { packageSha256: _, ...film } = await roundFilm(database(), me.round);
  return Response.json(film, { headers: { "Cache-Control": "private, max-age=3600" } });
});
