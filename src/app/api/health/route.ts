import { open } from "../../../server/http/route";
import { health } from "../../../server/runtime";

export const dynamic = "force-dynamic";

/** Whether database, job worker and CAD reader are up. Open to anybody: it tells nothing else. */
export const GET = open("health", async () => {
  const state = await health();
  return Response.json(state, { status: state.ok ? 200 : 503 });
});
