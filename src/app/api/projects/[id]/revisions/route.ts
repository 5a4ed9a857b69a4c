import { z } from "zod";
import { database } from "../../../../../server/database/pool";
import { idFrom, notFound, readJson, route } from "../../../../../server/http/route";
import { applyRevision, goBack } from "../../../../../server/imports/revise";
import { getProject, listRevisions } from "../../../../../server/repositories/projects";

const id = z.string().regex(/^[a-z0-9]{20}$/);
const Corrections = z.array(z.object({ old: z.string().min(1), next: z.string().min(1).nullable() })).max(20_000);
const Body = z.union([
  z.object({ job: id, base: z.int().min(1), corrections: Corrections }),
  z.object({ to: z.int().min(1), base: z.int().min(1) }),
]);

/** The revisions of a project's assembly, newest first. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params }) => {
  const project = idFrom(params.id, "project");
  if (!(await getProject(database(), actor, project))) throw notFound("project");
  const revisions = await listRevisions(database(), actor, project, 100);
  return Response.json({
    revisions: revisions.map(({ number, fileName, settings, sourceSha256 }) => ({
      number,
      fileName,
      settings,
      source: sourceSha256,
    })),
  });
});

/** Puts a revision in place: one that was read by a job, or an earlier one again. `base` is the number it replaces. */
export const POST = route<{ id: string }>("project.edit", async ({ actor, params, request }) => {
  const project = idFrom(params.id, "project");
  const body = await readJson(request, Body);
  const number =
    "job" in body
      ? await applyRevision(database(), actor, project, body.job, body.base, body.corrections)
      : await goBack(database(), actor, project, body.to, body.base);
  return Response.json({ number }, { status: 201 });
});
