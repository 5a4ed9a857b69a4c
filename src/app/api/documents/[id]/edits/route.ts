import { z } from "zod";
import { EditSchema } from "../../../../../core/edit/patches";
import { database } from "../../../../../server/database/pool";
import { HttpError, idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { nudge } from "../../../../../server/live/feed";
import { appendEdits, editsUntil, logSince } from "../../../../../server/repositories/documentStore";

const Batch = z.object({ base: z.int().min(0), edits: z.array(EditSchema).min(1).max(500) });

/**
 * Appends a batch of edits. Every answer brings the log after `base`. 409: it meets what others did meanwhile. 422:
 * the edit named in the answer can never be taken.
 */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const id = idFrom(params.id, "document");
  const { base, edits } = await readJson(request, Batch);
  const result = await appendEdits(database(), actor, id, base, edits);
  if (result.ok) nudge(`project ${result.project}`);
  if (result.ok) return Response.json({ revision: result.revision, log: result.log });
  if (result.reason === "gone") throw notFound("document");
  if (result.reason === "refused") return Response.json({ error: result.message, edit: result.edit }, { status: 422 });
  return Response.json(
    { error: "Someone else changed this meanwhile.", revision: result.revision, log: result.log },
    { status: 409 },
  );
});

const Until = z.coerce.number().int().min(0);

/**
 * A state of the document from some time ago and the edits from there until revision `until`: what lies between can
 * be looked back at. With `?since=` a revision: every edit after it, as an answer to edits brings them.
 */
export const GET = route<{ id: string }>("project.look", async ({ actor, params, request }) => {
  const asked = new URL(request.url).searchParams;
  if (asked.has("since")) {
    const since = Until.safeParse(asked.get("since"));
    if (!since.success) throw new HttpError(400, "Say since which revision: a whole number from 0 on.");
    const log = await logSince(database(), actor, idFrom(params.id, "document"), since.data);
    if (!log) throw notFound("document");
    return Response.json(log);
  }
  const until = Until.safeParse(new URL(request.url).searchParams.get("until") ?? undefined);
  if (!until.success) throw new HttpError(400, "Say until which revision: a whole number from 0 on.");
  const found = await editsUntil(database(), actor, idFrom(params.id, "document"), until.data);
  if (!found) throw notFound("document");
  return Response.json(found);
});
