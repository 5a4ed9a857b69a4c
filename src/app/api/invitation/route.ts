import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { database } from "../../../server/database/pool";
import { enter, open, readJson } from "../../../server/http/route";
import { accept, lookAtInvitation } from "../../../server/people/invitations";
import { passwordSchema } from "../../../server/people/passwords";

const secret = z.string().max(200);
const Look = z.strictObject({ secret });
const Accept = z.strictObject({ secret, name: nameSchema("A person", 100), password: passwordSchema });

/** What an invitation says. The secret comes in the body: addresses end up in logs. */
export const POST = open("invitation", async ({ request, from }) => {
  const asked = await readJson(request, Look, 4096);
  return Response.json(await lookAtInvitation(database(), asked.secret, from));
});

/** Accepts it: makes the account and signs it in. */
export const PUT = open("invitation", async (call) => {
  const { secret: given, ...asked } = await readJson(call.request, Accept, 16_384);
  const joined = await accept(database(), given, asked, call.from);
  await enter(joined, call);
  return Response.json({ name: joined.userName }, { status: 201 });
});
