import { z } from "zod";
import { database } from "../../../../server/database/pool";
import { readJson, route } from "../../../../server/http/route";
import { changePassword } from "../../../../server/people/accounts";
import { passwordSchema } from "../../../../server/people/passwords";

const Change = z.strictObject({ present: z.string().max(1000), next: passwordSchema });

/** Changes the own password; all other sessions end. */
export const PUT = route("account.own", async ({ actor, session, request, from }) => {
  const { present, next } = await readJson(request, Change, 4096);
  return Response.json({ ended: await changePassword(database(), actor, session, present, next, from) });
});
