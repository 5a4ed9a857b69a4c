import { database } from "../../../../server/database/pool";
import { reviewed } from "../../../../server/http/route";
import { roundState, roundVersion } from "../../../../server/review/rounds";

/** Everything that is said in a round. `?since=` a version: 204 when nothing is new. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request }) => {
  const since = new URL(request.url).searchParams.get("since");
  if (since !== null && Number(since) === (await roundVersion(database(), me.round)))
    return new Response(null, { status: 204 });
  return Response.json(await roundState(database(), me));
});
