import { cookies, headers } from "next/headers";
import { z } from "zod";
import {
  actorOf,
  demoActor,
  demoPeople,
  demoPerson,
  endSession,
  SESSION_COOKIE,
  startSession,
} from "../../../server/access/actor";
import { database } from "../../../server/database/pool";
import { allow, failure, HttpError, notFound, readJson, route } from "../../../server/http/route";

/** Sign-ins a minute, of all browsers together: the demo has no account of its own for each. */
const SIGN_INS_A_MINUTE = 240;

/** Where the cookie is valid: behind https it is never sent in the clear. */
const cookieOptions = async () => ({
  httpOnly: true,
  sameSite: "lax" as const,
  path: "/",
  secure: ((await headers()).get("x-plextan-origin") ?? "").startsWith("https:"),
});

/** Whether the page is this machine's own: elsewhere nobody is somebody else by asking. */
const onLoopback = async () =>
  /^http:\/\/(127\.0\.0\.1|localhost|\[::1\])(:|$)/.test((await headers()).get("x-plextan-origin") ?? "");

/** Who one is, and, on this machine, whom else of the demo one could be. */
export const GET = route("people.list", async ({ actor }) => {
  const people = (await onLoopback()) ? await demoPeople(database(), actor.workspaceId) : [];
  return Response.json({
    name: actor.userName,
    role: actor.role,
    others: people.filter((p) => p.id !== actor.userId),
  });
});

const SignIn = z.object({ as: z.string().regex(/^[a-z0-9]{20}$/, "That is nobody's id.") });

/**
 * Signs in the demo's animator, unless a session stands already: one a browser. With `as`, on this machine only, somebody
 * else of the demo takes the place of who was signed in.
 */
export async function POST(request: Request): Promise<Response> {
  try {
    const asked = request.headers.get("content-type") === null ? null : await readJson(request, SignIn, 4096);
    const sql = database();
    const jar = await cookies();
    const token = jar.get(SESSION_COOKIE)?.value;
    const known = await actorOf(sql, token);
    if (known && !asked) return Response.json({ name: known.userName });
    allow("sign in", SIGN_INS_A_MINUTE);
    const demo = await demoActor(sql);
    if (asked && !(await onLoopback())) throw new HttpError(403, "Signing in as somebody else is for the demo alone.");
    const actor = asked ? await demoPerson(sql, demo.workspaceId, asked.as) : demo;
    if (!actor) throw notFound("person");
    await endSession(sql, token);
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
