import { createServer } from "node:http";
import type { AddressInfo } from "node:net";

// A bare server of events, in a process of its own: what is posted is passed on to all who listen, stored nowhere and
// judged by nobody.
const listeners = new Set<(line: string) => void>();
const server = createServer((request, response) => {
  if (request.method === "POST") {
    let body = "";
    request.on("data", (chunk) => {
      body += chunk;
    });
    request.on("end", () => {
      // All of it, in one line: ours tells the whole comment as well.
      const line = `data: ${JSON.stringify(JSON.parse(body))}\n\n`;
      for (const l of listeners) l(line);
      response.end("{}");
    });
    return;
  }
  response.writeHead(200, { "Content-Type": "text/event-stream" });
  response.flushHeaders();
  const tell = (line: string) => void response.write(line);
  listeners.add(tell);
  response.on("close", () => listeners.delete(tell));
});
server.listen(0, "127.0.0.1", () => process.send?.((server.address() as AddressInfo).port));
