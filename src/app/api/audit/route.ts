import { z } from "zod";
import { database } from "../../../server/database/pool";
import { HttpError, route } from "../../../server/http/route";
import { readAudit } from "../../../server/people/audit";

const Before = z.coerce.number().int().min(1).max(Number.MAX_SAFE_INTEGER).nullable();

/** Who did what, newest first; `?before=` a line goes on from there. */
export const GET = route("audit.look", async ({ actor, request }) => {
  const before = Before.safeParse(new URL(request.url).searchParams.get("before"));
  if (!before.success) throw new HttpError(400, "Say before which line: a whole number from 1 on.");
  return Response.json({ lines: await readAudit(database(), actor, before.data) });
});
