import { z } from "zod";
import { ROLES } from "../../../../server/access/matrix";
import { database } from "../../../../server/database/pool";
import { readJson, route } from "../../../../server/http/route";
import { emailSchema } from "../../../../server/people/email";
import { invite } from "../../../../server/people/invitations";

const Invite = z.strictObject({ email: emailSchema, role: z.enum(ROLES) });

/** Invites somebody, or invites them anew. */
export const POST = route("people.manage", async ({ actor, request, origin, from }) => {
  const asked = await readJson(request, Invite, 4096);
  return Response.json(await invite(database(), actor, asked, origin, from), { status: 201 });
});
