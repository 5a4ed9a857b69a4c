import { DecisionSchema } from "../../../../../core/review/said";
import { database } from "../../../../../server/database/pool";
import { readJson, reviewed } from "../../../../../server/http/route";
import { decide } from "../../../../../server/review/saying";

/** Decides about a step: fine, or to be changed. */
export const POST = reviewed<{ round: string }>("review.say", async ({ me, request }) => {
  const { step, verdict } = await readJson(request, DecisionSchema, 4096);
  await decide(database(), me, step, verdict);
  return Response.json({ ok: true }, { status: 201 });
});
