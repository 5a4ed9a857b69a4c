import { z } from "zod";
import { database } from "../../../../../../server/database/pool";
import { idFrom, readJson, route } from "../../../../../../server/http/route";
import { revisionReport } from "../../../../../../server/imports/revise";

const Body = z.object({
  job: z.string().regex(/^[a-z0-9]{20}$/),
  corrections: z.array(z.object({ old: z.string().min(1), next: z.string().min(1).nullable() })).max(20_000),
});

/** The report on a file that was read as a revision, under corrections made by hand. Changes nothing. */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const { job, corrections } = await readJson(request, Body);
  return Response.json(await revisionReport(database(), actor, idFrom(params.id, "project"), job, corrections));
});
