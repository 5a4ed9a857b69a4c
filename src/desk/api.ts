import { noteVersion } from "./updated";

/** An answer from the server that is not a success; `message` is for the user. */
export class ApiError extends Error {
  override readonly name = "ApiError";

  constructor(
    readonly status: number,
    message: string,
    readonly body: unknown,
  ) {
    super(message);
  }
}

let signingIn: Promise<void> | null = null;
const SIGNED_OUT = "plextan-signed-out";

const KNOWN = "plextan-signed-in";
const NAME = "plextan-user";

/** What the user of this browser is called, for what is signed in documents. */
export const userName = (): string =>
  (typeof localStorage === "undefined" ? null : localStorage.getItem(NAME)) ?? "Animator";

/** Whether this browser has had a session; the session itself is in a cookie that no script can read. */
const knownHere = () => typeof localStorage === "undefined" || localStorage.getItem(KNOWN) !== null;

/** Whether the user of this browser signed out; then nothing signs in by itself. */
export const signedOut = () => typeof localStorage !== "undefined" && localStorage.getItem(SIGNED_OUT) !== null;

/**
 * Signs in when there is no session, where that goes by itself: in the demo. Requests that meet a 401 share one
 * attempt, and so do the pages of one browser.
 * @throws ApiError 401 where people have accounts
 */
export async function signIn(): Promise<void> {
  const ask = async () => {
    const r = await fetch("/api/session", { method: "POST" });
    if (r.status === 401) throw new ApiError(401, "You are not signed in.", null);
    if (!r.ok) throw new ApiError(r.status, "Signing in failed. Reload the page to try again.", null);
    const { name } = (await r.json().catch(() => ({}))) as { name?: unknown };
    remember(typeof name === "string" ? name : null);
  };
  // The second page finds the first one's session by its cookie.
  const locks = typeof navigator === "undefined" ? undefined : navigator.locks;
  signingIn ??= (locks ? locks.request("plextan-sign-in", ask) : ask()).finally(() => {
    signingIn = null;
  });
  return signingIn;
}

/** Notes in this browser that it has a session, and whose. */
function remember(name: string | null): void {
  if (typeof localStorage === "undefined") return;
  localStorage.removeItem(SIGNED_OUT);
  localStorage.setItem(KNOWN, "1");
  if (name !== null) localStorage.setItem(NAME, name);
}

/** Who is signed in, and, in the demo, who else could be. */
export interface WhoAmI {
  name: string;
  email: string | null;
  role: "owner" | "animator" | "reviewer";
  /** Nobody needs a password here: everybody is made up. */
  demo: boolean;
  others: { id: string; name: string; role: WhoAmI["role"] }[];
}

/** Signs in as somebody else of the demo, in place of who was. @throws ApiError */
export async function signInAs(id: string): Promise<void> {
  await plain("/api/session", "POST", { as: id }, true);
}

/** Signs in by address and password. @throws ApiError */
export async function signInBy(email: string, password: string): Promise<void> {
  await plain("/api/session", "POST", { email, password }, true);
}

/**
 * Asks for something that needs no session, as the pages before signing in do.
 * @param enters whether one is signed in by it; the answer says as whom
 * @throws ApiError
 */
export async function plain<T>(path: string, method = "GET", body?: unknown, enters = false): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { "Content-Type": "application/json" } }),
    });
  } catch {
    throw new ApiError(0, "The server cannot be reached.", null);
  }
  noteVersion(response);
  const answer = (await response.json().catch(() => null)) as { error?: string; name?: string } | null;
  if (!response.ok)
    throw new ApiError(response.status, answer?.error ?? `The server answered ${response.status}.`, answer);
  if (enters) remember(answer?.name ?? null);
  return answer as T;
}

/** Ends the session of this browser, or all that its user has. */
export async function signOut(everywhere = false): Promise<void> {
  localStorage.setItem(SIGNED_OUT, "1");
  localStorage.removeItem(KNOWN);
  await fetch(`/api/session${everywhere ? "?everywhere" : ""}`, { method: "DELETE" });
}

/** Why a session is over, where an answer says so. */
const endedBy = (body: unknown): string | null => {
  const ended = (body as { ended?: unknown } | null)?.ended;
  return typeof ended === "string" ? ended : null;
};

/** Whether an error means that whoever asked has to sign in again, or may not any longer. */
export const isOut = (error: unknown): error is ApiError => error instanceof ApiError && error.status === 401;

/** fetch with a session. @throws ApiError with the server's own words; status 0 when it cannot be reached. */
export async function request(path: string, init: RequestInit = {}): Promise<Response> {
  // Asked for before the first request, a session does not have to be missed first.
  if (!knownHere() && !signedOut()) await signIn().catch(() => {});
  for (let attempt = 0; ; attempt++) {
    let response: Response;
    try {
      response = await fetch(path, init);
    } catch (error) {
      if (init.signal?.aborted) throw error;
      throw new ApiError(0, "The server cannot be reached.", null);
    }
    noteVersion(response);
    if (response.status === 401 && signedOut()) throw new ApiError(401, "You are signed out.", null);
    const body = response.ok ? null : ((await response.json().catch(() => null)) as { error?: string } | null);
    if (response.status === 401 && attempt === 0) {
      // One that is over stays over, unless another page of this browser is just signing in anew.
      if (endedBy(body)) await new Promise((r) => setTimeout(r, 300));
      else await signIn();
      continue;
    }
    if (!response.ok) {
      throw new ApiError(response.status, body?.error ?? `The server answered ${response.status}.`, body);
    }
    return response;
  }
}

/**
 * Downloads what an address gives, without leaving the page. @throws ApiError when the server cannot be reached: then
 * the page stays as it is
 */
export async function download(path: string): Promise<void> {
  await request("/api/health");
  const link = document.createElement("a");
  link.href = path;
  link.download = "";
  link.click();
}

/** GET or send JSON, and read JSON. */
export async function json<T>(
  path: string,
  init: { method?: string; body?: unknown; signal?: AbortSignal } = {},
): Promise<T> {
  const response = await request(path, {
    method: init.method ?? (init.body === undefined ? "GET" : "POST"),
    ...(init.body === undefined
      ? {}
      : { body: JSON.stringify(init.body), headers: { "Content-Type": "application/json" } }),
    ...(init.signal ? { signal: init.signal } : {}),
  });
  return (await response.json()) as T;
}

/** Uploads bytes with progress (fetch reports none for what it sends). */
export function upload<T>(
  path: string,
  data: Blob,
  onProgress: (share: number) => void,
  signal?: AbortSignal,
): Promise<T> {
  const attempt = () =>
    new Promise<T>((resolve, reject) => {
      const xhr = new XMLHttpRequest();
      xhr.open("POST", path);
      xhr.setRequestHeader("Content-Type", "application/octet-stream");
      xhr.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
      xhr.onload = () => {
        let body: unknown = null;
        try {
          body = JSON.parse(xhr.responseText);
        } catch {}
        if (xhr.status < 300) resolve(body as T);
        else
          reject(
            new ApiError(
              xhr.status,
              (body as { error?: string } | null)?.error ?? `The server answered ${xhr.status}.`,
              body,
            ),
          );
      };
      xhr.onerror = () => reject(new ApiError(0, "The server cannot be reached.", null));
      xhr.onabort = () => reject(new DOMException("cancelled", "AbortError"));
      signal?.addEventListener("abort", () => xhr.abort());
      xhr.send(data);
    });
  return attempt().catch(async (error) => {
    if (!(error instanceof ApiError) || error.status !== 401) throw error;
    await signIn();
    return attempt();
  });
}
