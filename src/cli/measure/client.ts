/** A browser's worth of a client for measuring: one session, over Node's own connections. */
export interface Client {
  /** The session's cookie, for who speaks otherwise. */
  cookie: string;
  call(path: string, init?: RequestInit, timeoutMs?: number): Promise<Response>;
}

/** Signs in. @throws when the server does not answer */
export async function signedIn(url: string): Promise<Client> {
  const headers = { Origin: url };
  const r = await fetch(`${url}/api/session`, { method: "POST", headers });
  if (!r.ok) throw new Error(`Signing in was answered ${r.status}.`);
  const cookie = (r.headers.get("set-cookie") ?? "").split(";")[0] as string;
  return {
    cookie,
    call: (path, init = {}, timeoutMs = 8000) =>
      fetch(url + path, {
        ...init,
        headers: { ...headers, cookie, ...(init.headers as Record<string, string>) },
        signal: AbortSignal.timeout(timeoutMs),
      }),
  };
}

export const JSON_TYPE = { "Content-Type": "application/json" };
export const FILE_TYPE = { "Content-Type": "application/octet-stream" };

/** Sends a project file. @returns the id of its project */
export async function openProject(client: Client, bytes: Uint8Array): Promise<string> {
  const r = await client.call(
    "/api/projects/open",
    { method: "POST", body: bytes as BodyInit, headers: FILE_TYPE },
    60_000,
  );
  if (!r.ok) throw new Error(`The project was answered ${r.status}: ${await r.text()}`);
  return ((await r.json()) as { id: string }).id;
}

export interface LoadedDocument<T = unknown> {
  id: string;
  kind: string;
  revision: number;
  body: T;
}

export async function documentsOf<T>(client: Client, project: string): Promise<LoadedDocument<T>[]> {
  const r = await client.call(`/api/projects/${project}/documents`);
  if (!r.ok) throw new Error(`The documents were answered ${r.status}.`);
  return ((await r.json()) as { documents: LoadedDocument<T>[] }).documents;
}
