import { z } from "zod";
import { database } from "../../../server/database/pool";
import { enter, open, readJson } from "../../../server/http/route";
import { askReset, reset } from "../../../server/people/accounts";
import { emailSchema } from "../../../server/people/email";
import { passwordSchema } from "../../../server/people/passwords";

const Ask = z.strictObject({ email: emailSchema });
const Choose = z.strictObject({ secret: z.string().max(200), password: passwordSchema });

/** Sends a link for a new password. The answer does not tell whether the address is known. */
export const POST = open("reset", async ({ request, origin, from }) => {
  const { email } = await readJson(request, Ask, 4096);
  await askReset(database(), email, origin, from);
  return Response.json({ ok: true });
});

/** Chooses the new password, ends all sessions and signs in. */
export const PUT = open("reset", async (call) => {
  const { secret, password } = await readJson(call.request, Choose, 4096);
  const actor = await reset(database(), secret, password, call.from);
  await enter(actor, call);
  return Response.json({ name: actor.userName });
});
