import { database } from "../../../../../server/database/pool";
import { reviewed } from "../../../../../server/http/route";
import { feedOf } from "../../../../../server/live/feed";
import { roundVersion } from "../../../../../server/review/rounds";

export const dynamic = "force-dynamic";

/** Tells, as server-sent events, each version of a round: whoever hears one looks at what is new. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request }) =>
  feedOf(`round ${me.round}`, async () => String(await roundVersion(database(), me.round)), request.signal),
);
