import { createServer, request } from "node:http";
import type { AddressInfo } from "node:net";

/**
 * A way to the app on which of what matches no more comes than is let through: a browser's own brake does not reach
 * its workers, and a rate would make a slow machine miss what lies between the beginning and the end.
 */
export async function held(
  to: string,
  matches: RegExp,
): Promise<{ url: string; let(bytes: number): void; open(): void; close(): void }> {
  const { hostname, port } = new URL(to);
  let left = 0;
  let more: () => void = () => {};
  let waiting = new Promise<void>((r) => {
    more = r;
  });
  const add = (bytes: number) => {
    left += bytes;
    more();
    waiting = new Promise<void>((r) => {
      more = r;
    });
  };
  const server = createServer((asked, answer) => {
    const on = request({ hostname, port, method: asked.method, path: asked.url, headers: asked.headers }, (found) => {
      answer.writeHead(found.statusCode ?? 502, found.headers);
      if (!matches.test(asked.url ?? "")) {
        found.pipe(answer);
        return;
      }
      answer.flushHeaders();
      void (async () => {
        for await (const chunk of found as AsyncIterable<Buffer>)
          for (let at = 0; at < chunk.length; ) {
            while (left <= 0) await waiting;
            const piece = chunk.subarray(at, at + Math.min(left, 8192));
            answer.write(piece);
            at += piece.length;
            left -= piece.length;
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
    let: add,
    open: () => add(Number.POSITIVE_INFINITY),
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
