import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { database } from "../../../server/database/pool";
import { addGuestToken, guestTokensIn } from "../../../server/http/cookie";
import { open, readJson } from "../../../server/http/route";
import { comeIn } from "../../../server/review/links";

const Come = z.strictObject({
  secret: z.string().max(200),
  name: nameSchema("A guest", 100).nullable(),
  password: z.string().max(1000).nullable(),
});

/** Comes in by a link to a round; what is still asked for stands in the answer. */
export const POST = open("review", async ({ request, from }) => {
  const { secret, name, password } = await readJson(request, Come, 16_384);
  const got = await comeIn(database(), secret, { name, password }, guestTokensIn(request.headers), from);
  if ("asks" in got) return Response.json(got);
  await addGuestToken(got.token);
  return Response.json({ round: got.round });
});
