/**
 * An app process: Next.js behind one HTTP server of ours, which judges every request before anything else sees it,
 * keeps connections long enough, and ends with whoever started it. Started by the supervisor with PORT set.
 */
import { randomBytes } from "node:crypto";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import next from "next";
import { VERSION_HEADER } from "../core/text/version";
import { buildName } from "../server/build";
import { database } from "../server/database/pool";
import { PageFiles } from "../server/files/pageFiles";
import { directly } from "../server/http/direct";
import { FRAME_HEADERS, FRAME_HTML, FRAME_PATH } from "../server/http/frame";
import { addressesFrom, addressOf, judge, METHODS, securityHeaders } from "../server/http/guard";
import { log, logsRequests } from "../server/log";
import { metrics } from "../server/metrics";

/**
 * Kept connections: clients and proxies let go of idle ones after a minute or less. The server must be the one that
 * waits longer, or it closes a connection at the very moment at which a request comes in on it.
 */
const KEEP_ALIVE_MS = 75_000;
/** Longest time an upload may take. */
const REQUEST_MS = 20 * 60_000;

const port = Number(process.env.PORT ?? 0);
const host = process.env.PLEXTAN_LISTEN ?? "127.0.0.1";
const addresses = addressesFrom(process.env.PLEXTAN_ORIGINS);

// The supervisor is gone: nothing may be left that holds the port.
process.on("disconnect", () => process.exit(0));

const app = next({ dev: false, dir: process.cwd(), hostname: host, port });
await app.prepare();
const handle = app.getRequestHandler();
// Only now: what routes take from the framework is there once it is prepared.
const { DIRECT } = await import("./api/direct");
const direct = directly(DIRECT);
const build = buildName();
const pageFiles = new PageFiles(database);

const one = (value: string | string[] | undefined) => (Array.isArray(value) ? value[0] : value);

function answer(request: IncomingMessage, response: ServerResponse): void {
  const began = performance.now();
  const [method, path] = [request.method ?? "", request.url ?? ""];
  // Of ours: what a client calls its request says nothing.
  const id = randomBytes(6).toString("hex");
  response.setHeader("X-Request-Id", id);
  request.headers["x-plextan-request"] = id;
  response.once("close", () => {
    const ms = performance.now() - began;
    metrics().answered(method, path, response.statusCode, ms / 1000);
    if (logsRequests())
      log().info({ request: id, method, path: path.split("?")[0], status: response.statusCode, ms: Math.round(ms) });
  });
  const verdict = judge(
    {
      method: request.method ?? "",
      host: request.headers.host,
      origin: one(request.headers.origin),
      fetchSite: one(request.headers["sec-fetch-site"]),
    },
    addresses,
  );
  const nonce = randomBytes(16).toString("base64");
  const headers = securityHeaders(verdict.ok ? verdict.origin : "http:", nonce);
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value);
  response.setHeader(VERSION_HEADER, build);
  if (!verdict.ok) {
    // What comes after the head is not read, so the connection cannot be used again.
    response.setHeader("Connection", "close");
    if (verdict.status === 405) response.setHeader("Allow", METHODS.join(", "));
    response
      .writeHead(verdict.status, { "Content-Type": "application/json" })
      .end(JSON.stringify({ error: verdict.error }));
    return;
  }
  if (request.url === FRAME_PATH && request.method === "GET") {
    for (const [name, value] of Object.entries(FRAME_HEADERS)) response.setHeader(name, value);
    response.end(FRAME_HTML);
    return;
  }
  // Next.js finds the nonce for its own scripts here. What a client sent under these names is not believed.
  request.headers["content-security-policy"] = headers["Content-Security-Policy"];
  request.headers["x-plextan-origin"] = verdict.origin;
  request.headers["x-plextan-address"] = addressOf(
    request.socket.remoteAddress,
    one(request.headers["x-forwarded-for"]),
  );
  delete request.headers["x-middleware-subrequest"];
  if (direct(request, response, path)) return;
  const other = pageFiles.nameIn(path);
  if (other === null) void handle(request, response);
  else
    void pageFiles.answer(other, request, response).then(
      (done) => (done ? undefined : handle(request, response)),
      () => void response.destroy(),
    );
}

const server = createServer(
  {
    keepAliveTimeout: KEEP_ALIVE_MS,
    headersTimeout: KEEP_ALIVE_MS + 5000,
    requestTimeout: REQUEST_MS,
    maxHeaderSize: 32 * 1024,
  },
  answer,
);
server.on("clientError", (_error, socket) => {
  if (socket.writable) socket.end("HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n");
  else socket.destroy();
});
server.on("upgrade", (_request, socket) => socket.destroy());
server.on("error", (error: NodeJS.ErrnoException) => {
  console.error(
    error.code === "EADDRINUSE"
      ? `Port ${port} is in use by another program.`
      : `The server could not listen: ${error.message}`,
  );
  process.exit(3);
});
server.listen(port, host, () => process.send?.({ type: "listening" }));

const end = () => {
  server.close(() => process.exit(0));
  server.closeIdleConnections();
  setTimeout(() => process.exit(0), 2000).unref();
};
process.on("SIGTERM", end);
process.on("SIGINT", end);
