import { z } from "zod";
import { PrintsSchema } from "../../../../../core/review/prints";
import { ROUND_NOTE_MAX, saidSchema } from "../../../../../core/review/said";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { seesProject } from "../../../../../server/repositories/projects";
import { listRounds, makeRound } from "../../../../../server/review/rounds";

/** The rounds of a project, newest first. */
export const GET = route<{ id: string }>("review.look", async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  if (!(await seesProject(database(), actor, id))) throw notFound("project");
  return Response.json({ rounds: await listRounds(database(), actor, id) });
});

const Send = z.strictObject({
  sequence: z.string().regex(/^[a-z0-9]{20}$/),
  revisions: z.strictObject({ sequence: z.int().min(0), preparation: z.int().min(0) }),
  note: saidSchema("A note", ROUND_NOTE_MAX),
  prints: PrintsSchema,
  keepLinks: z.boolean(),
});

/** Sends a sequence for review, as it stands. */
export const POST = route<{ id: string }>("review.send", async ({ actor, params, request, from }) => {
  const id = idFrom(params.id, "project");
  const asked = await readJson(request, Send, 1024 * 1024);
  return Response.json({ round: await makeRound(database(), actor, id, asked, from) }, { status: 201 });
});
