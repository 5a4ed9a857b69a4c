import { cookies } from "next/headers";
import { actorOf, demoActor, SESSION_COOKIE, startSession } from "../../../server/access/actor";
import { database } from "../../../server/database/pool";
import { failure } from "../../../server/http/route";

/** Signs in the demo's animator, unless a session stands already. */
export async function POST(): Promise<Response> {
  try {
    const sql = database();
    const jar = await cookies();
    const known = await actorOf(sql, jar.get(SESSION_COOKIE)?.value);
    if (known) return Response.json({ name: known.userName });
    const actor = await demoActor(sql);
    const session = await startSession(sql, actor.userId);
    jar.set(SESSION_COOKIE, session.token, { httpOnly: true, sameSite: "lax", path: "/", maxAge: session.maxAgeSeconds });
    return Response.json({ name: actor.userName });
  } catch (error) {
    return failure(error);
  }
}
