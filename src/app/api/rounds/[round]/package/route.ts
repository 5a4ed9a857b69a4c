import { database } from "../../../../../server/database/pool";
import { packageResponse } from "../../../../../server/http/package";
import { reviewed } from "../../../../../server/http/route";
import { roundFilm } from "../../../../../server/review/rounds";

/** The assembly of a round: `?as=glb`, which is also what comes without it, or `?as=wire`. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request }) => {
  const { packageSha256 } = await roundFilm(database(), me.round);
  return packageResponse(request, me, packageSha256);
});
