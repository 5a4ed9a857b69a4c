import { cookies, headers } from "next/headers";

/** Where the request came in, as the server's own guard judged it. */
export const originHere = async (): Promise<string> => (await headers()).get("x-plextan-origin") ?? "";

/** Whether the page is this machine's own. */
export const isLoopback = (origin: string): boolean => /^http:\/\/(127\.0\.0\.1|localhost|\[::1\])(:|$)/.test(origin);

/**
 * What the session's cookie is called. Behind https the name itself makes browsers refuse one that another host of the
 * same domain has set, or that is not for https alone.
 */
const nameFor = (origin: string) => (origin.startsWith("https:") ? "__Host-plextan_session" : "plextan_session");

/** The token that the request's cookie brings. */
export async function sessionToken(): Promise<string | undefined> {
  return (await cookies()).get(nameFor(await originHere()))?.value;
}

/** Puts a session's token into the browser, or, without one, takes it out. */
export async function setSessionToken(session: { token: string; maxAgeSeconds: number } | null): Promise<void> {
  const origin = await originHere();
  (await cookies()).set(nameFor(origin), session?.token ?? "", {
    httpOnly: true,
    sameSite: "lax",
    path: "/",
    secure: origin.startsWith("https:"),
    maxAge: session?.maxAgeSeconds ?? 0,
  });
}
