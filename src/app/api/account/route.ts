import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { database } from "../../../server/database/pool";
import { readJson, route } from "../../../server/http/route";
import { ownAccount, ownSessions, renameOwn } from "../../../server/people/accounts";

/** The own account and its sessions. */
export const GET = route("account.own", async ({ actor, session }) => {
  const sql = database();
  return Response.json({
    ...(await ownAccount(sql, actor)),
    role: actor.role,
    sessions: await ownSessions(sql, actor, session),
  });
});

const Change = z.strictObject({ name: nameSchema("A person", 100) });

export const PATCH = route("account.own", async ({ actor, request, from }) => {
  const { name } = await readJson(request, Change, 4096);
  await renameOwn(database(), actor, name, from);
  return Response.json({ ok: true });
});
