import { createServer, request } from "node:http";
import type { AddressInfo } from "node:net";

/** A way to the app on which what matches comes slowly: a browser's own brake does not reach its workers. */
export async function slowly(
  to: string,
  slow: RegExp,
  bytesPerSecond: number,
): Promise<{ url: string; full(): void; close(): void }> {
  const { hostname, port } = new URL(to);
  let rate = bytesPerSecond;
  const server = createServer((asked, answer) => {
    const on = request({ hostname, port, method: asked.method, path: asked.url, headers: asked.headers }, (found) => {
      answer.writeHead(found.statusCode ?? 502, found.headers);
      if (!slow.test(asked.url ?? "")) {
        found.pipe(answer);
        return;
      }
      void (async () => {
        for await (const chunk of found as AsyncIterable<Buffer>)
          for (let at = 0; at < chunk.length; at += 8192) {
            const piece = chunk.subarray(at, at + 8192);
            answer.write(piece);
            if (Number.isFinite(rate)) await new Promise((r) => setTimeout(r, (1000 * piece.length) / rate));
          }
        answer.end();
      })();
    });
    on.on("error", () => answer.destroy());
    answer.on("close", () => on.destroy());
    asked.pipe(on);
  });
  await new Promise<void>((r) => server.listen(0, "127.0.0.1", r));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    full: () => {
      rate = Number.POSITIVE_INFINITY;
    },
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
