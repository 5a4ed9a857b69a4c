import { reviewed } from "../../../../../server/http/route";
import { feedOf } from "../../../../../server/review/feed";

export const dynamic = "force-dynamic";

/** Tells, as server-sent events, each version of a round: whoever hears one looks at what is new. */
export const GET = reviewed<{ round: string }>("review.look", async ({ me, request }) =>
  feedOf(me.round, request.signal),
);
