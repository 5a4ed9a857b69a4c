import { database } from "../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../server/http/route";
import { withdrawLink } from "../../../../server/review/links";

/** Withdraws a link for review, at once. */
export const DELETE = route<{ id: string }>("review.send", async ({ actor, params, from }) => {
  if (!(await withdrawLink(database(), actor, idFrom(params.id, "link"), from))) throw notFound("link");
  return Response.json({ ok: true });
});
