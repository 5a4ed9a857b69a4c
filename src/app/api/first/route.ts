import { z } from "zod";
import { nameSchema } from "../../../core/text/name";
import { database } from "../../../server/database/pool";
import { isLoopback } from "../../../server/http/cookie";
import { enter, open, readJson } from "../../../server/http/route";
import { isDemo } from "../../../server/people/demo";
import { emailSchema } from "../../../server/people/email";
import { makeFirst, needsFirst } from "../../../server/people/first";
import { mailLeaves } from "../../../server/people/mail/sender";
import { passwordSchema } from "../../../server/people/passwords";

/** What the pages before signing in have to know. */
export const GET = open("first", async ({ origin }) => {
  const demo = isDemo() && isLoopback(origin);
  return Response.json({ needed: !demo && (await needsFirst(database())), demo, mailLeaves: mailLeaves() });
});

const First = z.strictObject({
  token: z.string().max(200),
  workspace: nameSchema("A workspace"),
  name: nameSchema("A person", 100),
  email: emailSchema,
  password: passwordSchema,
});

/** Makes the workspace and its first owner, with the token that the start command printed, and signs them in. */
export const POST = open("first", async (call) => {
  const { token, ...asked } = await readJson(call.request, First, 16_384);
  const owner = await makeFirst(database(), token, asked, call.from);
  await enter(owner, call);
  return Response.json({ name: owner.userName }, { status: 201 });
});
