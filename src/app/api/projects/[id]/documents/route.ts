import { z } from "zod";
import { nameSchema } from "../../../../../core/text/name";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { addDocument, listDocuments } from "../../../../../server/repositories/documentStore";
import { getProject } from "../../../../../server/repositories/projects";

const NewDocument = z.object({ kind: z.literal("sequence"), body: z.looseObject({ name: nameSchema("A sequence") }) });

export const GET = route<{ id: string }>("project.look", async ({ actor, params }) => {
  const id = idFrom(params.id, "project");
  if (!(await getProject(database(), actor, id))) throw notFound("project");
  return Response.json({ documents: await listDocuments(database(), actor, id) });
});

export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const body = await readJson(request, NewDocument);
  const id = await addDocument(database(), actor, idFrom(params.id, "project"), body.kind, body.body);
  if (!id) throw notFound("project");
  return Response.json({ id }, { status: 201 });
});
