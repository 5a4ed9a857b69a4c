/**
 * What a request must be before anything looks at it: from a name that is ours, and, if it changes something, from a
 * page of ours.
 */

/** Addresses that the app answers to. */
export interface Addresses {
  /** Origins such as "https://plextan.example.com", lower case. Empty: loopback names only, on any port. */
  origins: readonly string[];
}

/** The addresses in a setting: origins, separated by commas or spaces. @throws Error naming what is not an origin */
export function addressesFrom(setting: string | undefined): Addresses {
  const origins = (setting ?? "")
    .split(/[\s,]+/)
    .filter((s) => s !== "")
    .map((text) => {
      let url: URL;
      try {
        url = new URL(text);
      } catch {
        throw new Error(`PLEXTAN_ORIGINS: "${text}" is not an origin such as https://plextan.example.com.`);
      }
      if (!/^https?:$/.test(url.protocol) || url.pathname !== "/" || url.search || url.hash || url.username)
        throw new Error(`PLEXTAN_ORIGINS: "${text}" is not an origin: give scheme, name and port alone.`);
      return url.origin;
    });
  return { origins };
}

const LOOPBACK = /^(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?$/;

/** The origin under which a request with this Host came in, or null when the name is not ours. */
export function originOf(host: string | undefined, { origins }: Addresses): string | null {
  const name = (host ?? "").toLowerCase();
  if (LOOPBACK.test(name)) return `http://${name}`;
  return origins.find((o) => new URL(o).host === name) ?? null;
}

/**
 * The network address that a request comes from. What a proxy on this machine adds about its own client, last of its
 * list, is believed; what anybody else says about themselves is not.
 */
export function addressOf(remote: string | undefined, forwarded: string | undefined): string {
  const own = (remote ?? "").replace(/^::ffff:/, "");
  const told = forwarded?.split(",").at(-1)?.trim() ?? "";
  return /^(127\.|::1$)/.test(own) && /^[0-9a-fA-F.:]{2,45}$/.test(told) ? told : own;
}

const CHANGING = new Set(["POST", "PUT", "PATCH", "DELETE"]);
export const METHODS = ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"];

export interface RequestHead {
  method: string;
  host: string | undefined;
  origin: string | undefined;
  fetchSite: string | undefined;
}

export type Verdict = { ok: true; origin: string } | { ok: false; status: number; error: string };

/**
 * Judges a request by its head alone. A page elsewhere that has its name point to this machine still sends its own
 * name; a form elsewhere that posts here sends its own origin.
 */
export function judge(head: RequestHead, addresses: Addresses): Verdict {
  if (!METHODS.includes(head.method))
    return { ok: false, status: 405, error: `${head.method.slice(0, 20)} is not answered here.` };
  const origin = originOf(head.host, addresses);
  if (!origin)
    return {
      ok: false,
      status: 421,
      error:
        "This name is not one of Plextan's. Open it by the address that the start command printed, or set PLEXTAN_ORIGINS.",
    };
  if (!CHANGING.has(head.method)) return { ok: true, origin };
  const from = head.origin?.toLowerCase();
  if (from === undefined && head.fetchSite === "same-origin") return { ok: true, origin };
  if (from === undefined)
    return {
      ok: false,
      status: 403,
      error: "A request that changes something must say which page it comes from (Origin).",
    };
  if (from !== origin)
    return {
      ok: false,
      status: 403,
      error: "A request that changes something is taken from Plextan's own pages only.",
    };
  return { ok: true, origin };
}

/** Headers of every answer. `nonce` marks the scripts of a page as ours. */
export function securityHeaders(origin: string, nonce: string): Record<string, string> {
  return {
    "Content-Security-Policy": policy(nonce),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(self), geolocation=()",
    ...(origin.startsWith("https:") ? { "Strict-Transport-Security": "max-age=31536000; includeSubDomains" } : {}),
  };
}

/**
 * Scripts run only when the server marked them, and what they load. Workers come from our files or from blobs that
 * such scripts made; WebAssembly may be compiled, text may not be run as code. Styles are set in line by the
 * component library.
 */
export function policy(nonce: string): string {
  return [
    "default-src 'none'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'`,
    "worker-src 'self' blob:",
    "connect-src 'self' blob: data:",
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "media-src 'self' blob:",
    "font-src 'self' data:",
    "manifest-src 'self'",
    "form-action 'self'",
    "base-uri 'none'",
    "object-src 'none'",
    // What was made, to be looked at: in a frame that may run nothing of the app's (see frame.ts), or as a PDF.
    "frame-src 'self' blob:",
    "frame-ancestors 'none'",
  ].join("; ");
}
