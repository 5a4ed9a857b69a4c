import { timingSafeEqual } from "node:crypto";
import { hashOfSecret } from "../../../server/access/secret";
import { database, type Row } from "../../../server/database/pool";
import { HttpError, open } from "../../../server/http/route";
import { listeners } from "../../../server/live/feed";
import { metrics } from "../../../server/metrics";
import { health } from "../../../server/runtime";

export const dynamic = "force-dynamic";

/** Figures of this app process, in the text form that collectors read; with the token that is set for it. */
export const GET = open("metrics", async ({ request }) => {
  const token = process.env.PLEXTAN_METRICS_TOKEN;
  if (!token) throw new HttpError(404, "No figures are told here: PLEXTAN_METRICS_TOKEN is not set.");
  const given = (request.headers.get("authorization") ?? "").replace(/^Bearer /, "");
  if (!timingSafeEqual(hashOfSecret(given), hashOfSecret(token)))
    throw new HttpError(401, "Figures are told with the token alone: Authorization: Bearer TOKEN.");
  const { database: up, reader } = await health();
  const [rows] = up
    ? await database().query<Row[]>("SELECT state, COUNT(*) AS n FROM jobs GROUP BY state")
    : [[] as Row[]];
  const jobs = Object.fromEntries(rows.map((r) => [r.state as string, Number(r.n)]));
  const all = metrics();
  all.set({ database: up, reader, listeners: listeners(), jobs });
  return new Response(await all.registry.metrics(), { headers: { "Content-Type": all.registry.contentType } });
});
