import { z } from "zod";
import { endSession, endSessions, standingOf } from "../../../server/access/actor";
import { database } from "../../../server/database/pool";
import { isLoopback, setSessionToken } from "../../../server/http/cookie";
import { enter, HttpError, notFound, open, readJson, route } from "../../../server/http/route";
import { audited, ownAccount, signInBy } from "../../../server/people/accounts";
import { demoActor, demoPeople, demoPerson, isDemo } from "../../../server/people/demo";
import { emailSchema } from "../../../server/people/email";

/** Who one is, and, in the demo on this machine, whom else of it one could be. */
export const GET = route("account.own", async ({ actor, origin }) => {
  const demo = isDemo() && isLoopback(origin);
  const people = demo ? await demoPeople(database(), actor.workspaceId) : [];
  const { email } = await ownAccount(database(), actor);
  return Response.json({
    name: actor.userName,
    email,
    role: actor.role,
    demo,
    others: people.filter((p) => p.id !== actor.userId),
  });
});

const SignIn = z.strictObject({
  email: emailSchema.optional(),
  password: z.string().max(1000).optional(),
  as: z
    .string()
    .regex(/^[a-z0-9]{20}$/, "That is nobody's id.")
    .optional(),
});

/**
 * Signs in by address and password. In the demo, on this machine only: without a body its animator, unless a session
 * stands already; with `as` somebody else of it.
 */
export const POST = open("sign-in", async (call) => {
  const sql = database();
  const asked = call.request.headers.get("content-type") === null ? null : await readJson(call.request, SignIn, 4096);
  if (asked && asked.as === undefined) {
    if (!asked.email || !asked.password) throw new HttpError(400, "Give an address and its password.");
    const actor = await signInBy(sql, asked.email, asked.password, call.from);
    await enter(actor, call);
    await audited(sql, actor, "signed-in", call.from);
    return Response.json({ name: actor.userName });
  }
  const known = await standingOf(sql, call.token);
  if (known.kind === "actor" && !asked) return Response.json({ name: known.actor.userName });
  if (!isDemo() || !isLoopback(call.origin)) {
    if (asked) throw new HttpError(403, "Signing in as somebody else is for the demo alone.");
    throw new HttpError(401, "You are not signed in.");
  }
  const demo = await demoActor(sql);
  const actor = asked?.as ? await demoPerson(sql, demo.workspaceId, asked.as) : demo;
  if (!actor) throw notFound("person");
  await enter(actor, call);
  if (asked) await audited(sql, actor, "signed-in", call.from, "without a password: this is the demo");
  return Response.json({ name: actor.userName });
});

/** Signs out: the session ends here and in the database. With `?everywhere` all of one's sessions do. */
export const DELETE = open("sign-in", async ({ request, token, from }) => {
  const sql = database();
  const known = await standingOf(sql, token);
  if (known.kind === "actor") {
    const everywhere = new URL(request.url).searchParams.has("everywhere");
    if (everywhere) await endSessions(sql, known.actor.userId, "signed-out");
    else await endSession(sql, token);
    await audited(sql, known.actor, everywhere ? "signed-out-everywhere" : "signed-out", from);
  }
  await setSessionToken(null);
  return Response.json({ ok: true });
});
