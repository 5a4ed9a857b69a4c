import { cookies, headers } from "next/headers";

/** What a request brings in its head. */
export type Head = Pick<Headers, "get">;

/** Where a request came in, as the server's own guard judged it. */
export const originIn = (head: Head): string => head.get("x-plextan-origin") ?? "";

/** Whether the page is this machine's own. */
export const isLoopback = (origin: string): boolean => /^http:\/\/(127\.0\.0\.1|localhost|\[::1\])(:|$)/.test(origin);

/**
 * What the session's cookie is called. Behind https the name itself makes browsers refuse one that another host of the
 * same domain has set, or that is not for https alone.
 */
const nameFor = (origin: string) => (origin.startsWith("https:") ? "__Host-plextan_session" : "plextan_session");

/** The value of a cookie that a request brings, as sent: ours need no decoding. */
function cookieIn(head: Head, name: string): string | undefined {
  for (const part of (head.get("cookie") ?? "").split(";")) {
    const at = part.indexOf("=");
    if (at > 0 && part.slice(0, at).trim() === name) return part.slice(at + 1).trim();
  }
}

/** The token that a request's cookie brings. */
export const sessionTokenIn = (head: Head): string | undefined => cookieIn(head, nameFor(originIn(head)));

/** Guests' tokens, of up to so many links at once. */
const GUEST_TOKENS = 8;
const guestName = (origin: string) => (origin.startsWith("https:") ? "__Host-plextan_guest" : "plextan_guest");

/** The tokens of guests that a request's cookie brings, newest first. */
export const guestTokensIn = (head: Head): string[] =>
  (cookieIn(head, guestName(originIn(head))) ?? "")
    .split(".")
    .filter((t) => /^[\w-]{43}$/.test(t))
    .slice(0, GUEST_TOKENS);

/** Puts a guest's token beside those that the browser has. */
export async function addGuestToken(token: string): Promise<void> {
  const head = await headers();
  const origin = originIn(head);
  const kept = [token, ...guestTokensIn(head).filter((t) => t !== token)].slice(0, GUEST_TOKENS);
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
  const origin = originIn(await headers());
  (await cookies()).set(nameFor(origin), session?.token ?? "", {
    httpOnly: true,
    sameSite: "lax",
    path: "/",
    secure: origin.startsWith("https:"),
    maxAge: session?.maxAgeSeconds ?? 0,
  });
}
