import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { endOwnSession } from "../../../../../server/people/accounts";

/** Ends one of the own sessions. */
export const DELETE = route<{ id: string }>("account.own", async ({ actor, params, from }) => {
  if (!(await endOwnSession(database(), actor, idFrom(params.id, "session"), from))) throw notFound("session");
  return Response.json({ ok: true });
});
