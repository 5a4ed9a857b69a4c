import { readFile } from "node:fs/promises";
import { createServer } from "node:http";
import path from "node:path";
import { browserTools } from "../browserTools";

/** What `bench/*.page.ts` are run in. @throws Error where no browser is installed */
export async function inBrowser<T>(
  page: string,
  options: { workers?: Record<string, string>; files?: Record<string, Uint8Array>; begin?: string } = {},
): Promise<T> {
  const { bundle, launch } = await browserTools();
  const served = new Map<string, Uint8Array>([["/page.js", await bundle(page)]]);
  for (const [name, file] of Object.entries(options.workers ?? {})) served.set(name, await bundle(file));
  for (const [name, bytes] of Object.entries(options.files ?? {})) served.set(name, bytes);
  const server = createServer((request, response) => {
    const found = served.get(request.url ?? "");
    // A page by itself gets the browser's finer clock.
    response
      .setHeader("Cross-Origin-Opener-Policy", "same-origin")
      .setHeader("Cross-Origin-Embedder-Policy", "require-corp");
    if (request.url === "/")
      response.setHeader("Content-Type", "text/html").end("<!doctype html><body><script src=/page.js></script>");
    else if (found)
      response
        .setHeader("Content-Type", request.url?.endsWith(".js") ? "text/javascript" : "application/octet-stream")
        .end(found);
    else response.writeHead(404).end();
  });
  await new Promise<void>((r) => server.listen(0, "127.0.0.1", r));
  const { port } = server.address() as { port: number };
  const browser = await launch();
  try {
    const tab = await browser.newPage();
    tab.setDefaultTimeout(600_000);
    const faults: string[] = [];
    tab.on("pageerror", (e) => faults.push(e.message));
    await tab.goto(`http://127.0.0.1:${port}/`);
    if (faults.length > 0) throw new Error(faults[0]);
    return (await tab.evaluate(options.begin ?? "window.result")) as T;
  } finally {
    await browser.close();
    server.close();
  }
}

/** A file of this repository as bytes. */
export const repositoryFile = async (name: string): Promise<Uint8Array> =>
  new Uint8Array(await readFile(path.resolve(name)));
