import { z } from "zod";
import { MAY } from "../../../../../core/review/said";
import { nameSchema } from "../../../../../core/text/name";
import { database } from "../../../../../server/database/pool";
import { HttpError, readJson, reviewed } from "../../../../../server/http/route";
import { listLinks, makeLink } from "../../../../../server/review/links";

const Make = z.strictObject({
  may: z.enum(MAY),
  names: z.array(nameSchema("A person", 100)).min(1).max(50).nullable(),
  password: z.string().min(4, "A link's password has at least 4 characters.").max(200).nullable(),
  days: z.int().min(1).max(365).nullable(),
});

/** Links to a round. */
export const GET = reviewed<{ round: string }>("review.send", async ({ me }) =>
  Response.json({ links: await listLinks(database(), me.round) }),
);

/** Makes a link; its address is shown this once. */
export const POST = reviewed<{ round: string }>("review.send", async ({ me, request, origin, from }) => {
  const asked = await readJson(request, Make, 65_536);
  if (!me.actor) throw new HttpError(403, "Links are made by those who make the sequence.");
  return Response.json(await makeLink(database(), me.actor, me.round, asked, origin, from), { status: 201 });
});
