import { database } from "../../../../../server/database/pool";
import { reviewed } from "../../../../../server/http/route";
import { feedOf } from "../../../../../server/live/feed";
import { roundStanding } from "../../../../../server/review/rounds";

export const dynamic = "force-dynamic";

/** Tells, as server-sent events, each version of a round, where it can with what is new: see `core/review/news`. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request, judge }) =>
  feedOf(`round ${me.round}`, () => roundStanding(database(), me.round), { signal: request.signal, judge }),
);
