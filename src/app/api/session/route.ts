import { cookies, headers } from "next/headers";
import { actorOf, demoActor, endSession, SESSION_COOKIE, startSession } from "../../../server/access/actor";
import { database } from "../../../server/database/pool";
import { allow, expectType, failure } from "../../../server/http/route";

/** Sign-ins a minute, of all browsers together: the demo has no account of its own for each. */
const SIGN_INS_A_MINUTE = 240;

/** Where the cookie is valid: behind https it is never sent in the clear. */
const cookieOptions = async () => ({
  httpOnly: true,
  sameSite: "lax" as const,
  path: "/",
  secure: ((await headers()).get("x-plextan-origin") ?? "").startsWith("https:"),
});

/** Signs in the demo's animator, unless a session stands already: one a browser. */
export async function POST(request: Request): Promise<Response> {
  try {
    if (request.headers.get("content-type") !== null) expectType(request, ["application/json"]);
    const sql = database();
    const jar = await cookies();
    const known = await actorOf(sql, jar.get(SESSION_COOKIE)?.value);
    if (known) return Response.json({ name: known.userName });
    allow("sign in", SIGN_INS_A_MINUTE);
    const actor = await demoActor(sql);
    const session = await startSession(sql, actor.userId);
    jar.set(SESSION_COOKIE, session.token, { ...(await cookieOptions()), maxAge: session.maxAgeSeconds });
    return Response.json({ name: actor.userName });
  } catch (error) {
    return failure(error);
  }
}

/** Signs out: the session ends here and in the database. */
export async function DELETE(): Promise<Response> {
  try {
    const jar = await cookies();
    await endSession(database(), jar.get(SESSION_COOKIE)?.value);
    jar.set(SESSION_COOKIE, "", { ...(await cookieOptions()), maxAge: 0 });
    return Response.json({ ok: true });
  } catch (error) {
    return failure(error);
  }
}
