import type { IncomingMessage, ServerResponse } from "node:http";
import { atHand, cutOff } from "./atHand";
import { pourOf } from "./pour";

/** A route's handler: what the framework would call for it. */
export type Handler = (request: Request, context: { params: Promise<never> }) => Promise<Response>;

/** A route that is answered without the framework between. */
export interface Direct {
  method: string;
  /** Path with parameters in brackets, as the folder of the route is called. */
  path: string;
  handler: Handler;
}

/** Bytes of an answer that may wait to be taken, of what is sent bit by bit. */
const LEFT_LYING_MOST = 1024 * 1024;

/** Makes one that answers a request by its route, or says that it has none for it. */
export function directly(
  routes: readonly Direct[],
): (request: IncomingMessage, response: ServerResponse, path: string) => boolean {
  const list = routes.map((r) => ({ ...r, pieces: r.path.split("/") }));
  return (request, response, url) => {
    const end = url.indexOf("?");
    const pieces = (end < 0 ? url : url.slice(0, end)).split("/");
    for (const r of list) {
      if (r.method !== request.method || r.pieces.length !== pieces.length) continue;
      const params = matched(r.pieces, pieces);
      if (!params) continue;
      void answer(r.handler, request, response, url, params);
      return true;
    }
    return false;
  };
}

/** Parameters of a path, or null where it is another one. What needs decoding is left to the framework. */
function matched(pattern: readonly string[], pieces: readonly string[]): Record<string, string> | null {
  const params: Record<string, string> = {};
  for (let i = 0; i < pattern.length; i++) {
    const [wanted, is] = [pattern[i] as string, pieces[i] as string];
    if (!wanted.startsWith("[")) {
      if (wanted !== is) return null;
    } else if (/^[\w-]+$/.test(is)) params[wanted.slice(1, -1)] = is;
    else return null;
  }
  return params;
}

async function answer(
  handler: Handler,
  request: IncomingMessage,
  response: ServerResponse,
  url: string,
  params: Record<string, string>,
): Promise<void> {
  const gone = new AbortController();
  response.once("close", () => gone.abort());
  try {
    const headers = new Headers();
    for (const [name, value] of Object.entries(request.headers))
      if (value !== undefined && !name.startsWith(":"))
        headers.set(name, Array.isArray(value) ? value.join(", ") : value);
    const small = isSmall(request);
    const body = small || request.method === "GET" || request.method === "HEAD" ? null : bodyOf(request);
    const asked = new Request(new URL(url, "http://plextan"), {
      ...{ method: request.method as string, headers, signal: gone.signal },
      ...(body ? { body, duplex: "half" } : {}),
    } as RequestInit);
    if (small) atHand(asked, () => wholeOf(request));
    await send(await handler(asked, { params: Promise.resolve(params as never) }), response, gone.signal);
  } catch {
    // A handler words its own errors: what comes here is a connection that broke.
    if (response.headersSent) response.destroy();
    else response.writeHead(500).end();
  }
  // What nobody wanted to read stands before the next request on the connection.
  if (!request.complete) request.removeAllListeners("data").resume();
}

/** Bytes of a body, as it says of itself, up to which it is read without a stream between. */
const SMALL = 64 * 1024;

const isSmall = ({ headers }: IncomingMessage): boolean =>
  headers["transfer-encoding"] === undefined && Number(headers["content-length"] ?? Number.NaN) <= SMALL;

/** A small body, read from the connection when it is asked for. @throws Error when the connection is cut before */
function wholeOf(request: IncomingMessage): Promise<Uint8Array> {
  return new Promise((resolve, reject) => {
    if (request.destroyed) throw cutOff();
    const chunks: Buffer[] = [];
    request.on("data", (chunk: Buffer) => void chunks.push(chunk));
    request.once("end", () => resolve(chunks.length === 1 ? (chunks[0] as Buffer) : Buffer.concat(chunks)));
    request.once("error", () => reject(cutOff()));
    request.once("close", () => reject(cutOff()));
  });
}

/** What is sent, read as it is asked for: of what nobody reads nothing is taken. */
function bodyOf(request: IncomingMessage): ReadableStream<Uint8Array> {
  let begun = false;
  let given = () => {};
  const begin = (c: ReadableStreamDefaultController<Uint8Array>) => {
    begun = true;
    const over = (end: () => void) => () => {
      try {
        end();
      } catch {
        // It was cancelled, or is over already.
      }
      given();
    };
    request.on("data", (chunk: Buffer) => {
      request.pause();
      over(() => c.enqueue(new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.byteLength)))();
    });
    request.once(
      "end",
      over(() => c.close()),
    );
    const cut = over(() => c.error(cutOff()));
    request.once("error", cut);
    request.once("close", cut);
    // Before anybody read: it will not say so again.
    if (request.destroyed) cut();
  };
  return new ReadableStream<Uint8Array>(
    {
      pull(c) {
        if (!begun) begin(c);
        return new Promise<void>((resolve) => {
          given = resolve;
          request.resume();
        });
      },
    },
    { highWaterMark: 0 },
  );
}

/** Sends an answer as it comes, no faster than it is taken. */
async function send(answer: Response, response: ServerResponse, gone: AbortSignal): Promise<void> {
  answer.headers.forEach((value, name) => {
    response.setHeader(name, value);
  });
  response.writeHead(answer.status);
  const pour = pourOf(answer);
  if (pour) {
    response.flushHeaders();
    const write = (bytes: Uint8Array) => {
      // Node takes it for a fault of the whole program.
      if (response.writableEnded) return;
      // Whoever takes nothing is not to fill the memory: cut off, they come again and learn how it stands.
      if (response.writableLength > LEFT_LYING_MOST) throw new Error("Nobody takes what is sent.");
      response.write(bytes);
    };
    pour({ write, end: () => void (response.writableLength > LEFT_LYING_MOST ? response.destroy() : response.end()) });
    return;
  }
  const reader = answer.body?.getReader();
  if (!reader) {
    response.end();
    return;
  }
  gone.addEventListener("abort", () => void reader.cancel().catch(() => {}));
  // Whoever listens is to know that there is somebody, before there is news.
  response.flushHeaders();
  for (;;) {
    const { done, value } = await reader.read();
    if (done || gone.aborted) break;
    if (!response.write(value))
      await new Promise<void>((resolve) => {
        response.once("drain", resolve);
        gone.addEventListener("abort", () => resolve(), { once: true });
      });
  }
  response.end();
}
