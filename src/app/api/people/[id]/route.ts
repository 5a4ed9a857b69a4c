import { z } from "zod";
import { ROLES } from "../../../../server/access/matrix";
import { database } from "../../../../server/database/pool";
import { idFrom, readJson, route } from "../../../../server/http/route";
import { changeRole, removePerson } from "../../../../server/people/people";

const Change = z.strictObject({ role: z.enum(ROLES) });

/** Changes what somebody is. */
export const PATCH = route<{ id: string }>("people.manage", async ({ actor, params, request, from }) => {
  const { role } = await readJson(request, Change, 4096);
  await changeRole(database(), actor, idFrom(params.id, "person"), role, from);
  return Response.json({ ok: true });
});

/** Removes somebody from the workspace. */
export const DELETE = route<{ id: string }>("people.manage", async ({ actor, params, from }) => {
  await removePerson(database(), actor, idFrom(params.id, "person"), from);
  return Response.json({ ok: true });
});
