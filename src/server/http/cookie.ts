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

/** Guests' tokens, of up to so many links at once. */
const GUEST_TOKENS = 8;
const guestName = (origin: string) => (origin.startsWith("https:") ? "__Host-plextan_guest" : "plextan_guest");

/** The tokens of guests that the request's cookie brings, newest first. */
export async function guestTokens(): Promise<string[]> {
  const value = (await cookies()).get(guestName(await originHere()))?.value ?? "";
  return value
    .split(".")
    .filter((t) => /^[\w-]{43}$/.test(t))
    .slice(0, GUEST_TOKENS);
}

/** Puts a guest's token beside those that the browser has. */
export async function addGuestToken(token: string): Promise<void> {
  const origin = await originHere();
  const kept = [token, ...(await guestTokens()).filter((t) => t !== token)].slice(0, GUEST_TOKENS);
  (await cookies()).set(guestName(origin), kept.join("."), {
    httpOnly: true,
    sameSite: "lax",
    path: "/",
    secure: origin.startsWith("https:"),
    maxAge: 90 * 86_400,
  });
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
