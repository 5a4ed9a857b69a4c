import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../../server/http/route";
import { withdraw } from "../../../../../server/people/invitations";

/** Withdraws an invitation. */
export const DELETE = route<{ id: string }>("people.manage", async ({ actor, params, from }) => {
  if (!(await withdraw(database(), actor, idFrom(params.id, "invitation"), from))) throw notFound("invitation");
  return Response.json({ ok: true });
});
