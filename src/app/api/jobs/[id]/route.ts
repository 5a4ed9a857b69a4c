import { database } from "../../../../server/database/pool";
import { idFrom, notFound, route } from "../../../../server/http/route";
import { cancelJob, getJob } from "../../../../server/repositories/jobs";

interface Params {
  id: string;
}

export const GET = route<Params>("project.look", async ({ actor, params }) => {
  const job = await getJob(database(), actor, idFrom(params.id, "job"));
  if (!job) throw notFound("job");
  return Response.json({ state: job.state, stage: job.stage, share: job.share, error: job.error, result: job.result });
});

/** Asks a job to stop. */
export const DELETE = route<Params>("project.edit", async ({ actor, params }) => {
  if (!(await cancelJob(database(), actor, idFrom(params.id, "job")))) throw notFound("job");
  return Response.json({ ok: true });
});
