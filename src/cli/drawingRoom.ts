import { readFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { Output } from "../core/document/outputs";
import type { Program } from "../core/program/program";
import { ProjectFileError } from "../formats/out/project/file";
import type { Sink } from "../workers/outputs/sink";
import { browserTools } from "./browserTools";
import { LETTERS_FROM, letterFiles, playerCode } from "./buildPlayer";

type Page = Awaited<ReturnType<Awaited<ReturnType<Awaited<ReturnType<typeof browserTools>>["launch"]>>["newPage"]>>;

/** What a project is drawn from: its program, its package as stored, and its recordings by asset. */
export interface Drawn {
  program: Program;
  bytes: Uint8Array;
  sounds: ReadonlyMap<string, Uint8Array>;
}

/** Draws outputs in Chromium without a window, in the same worker as the app's. Opened at the first; one for all. */
export class DrawingRoom {
  private tab: Promise<Page> | null = null;
  private server: Server | null = null;
  private readonly ends: (() => Promise<unknown>)[] = [];
  /** Where what is being made goes, and how much of it has come. */
  private target: Sink | null = null;
  private at = 0;

  constructor(
    private readonly of: Drawn,
    private readonly tell: (share: number, what: string) => void,
  ) {}

  /** @throws ProjectFileError with what the worker says of it */
  async make(output: Output, target: Sink): Promise<{ bytes: number; checked: string[] }> {
    this.target = target;
    this.at = 0;
    this.tab ??= this.open();
    const tab = await this.tab;
    const made = (await tab.evaluate(`window.plextanMake(${JSON.stringify(output)})`)) as {
      checked: string[];
      fault?: string;
    };
    if (made.fault !== undefined) throw new ProjectFileError(made.fault);
    return { bytes: this.at, checked: made.checked };
  }

  async close(): Promise<void> {
    for (const end of this.ends.reverse()) await end();
    this.server?.close();
  }

  private async open(): Promise<Page> {
    const { bundle, launch } = await browserTools();
    const [page, worker] = await Promise.all([bundle("src/cli/publishPage.ts"), bundle("src/workers/publish.ts")]);
    const font = readFileSync(`${LETTERS_FROM}/ibm-plex-sans-latin-500-normal.woff2`);
    const { program, bytes, sounds } = this.of;
    const { preparation, sequence } = program;
    const job = { assembly: program.index.assembly, preparation, sequence };
    const files: Record<string, [string, () => Uint8Array | string | Promise<string>]> = {
      "/": ["text/html", () => "<!doctype html><body><script src=/page.js></script>"],
      "/page.js": ["text/javascript", () => page],
      "/worker.js": ["text/javascript", () => worker],
      // Made only when it is asked for: it takes a second.
      "/player.js": ["text/javascript", () => playerCode()],
      "/font.woff2": ["font/woff2", () => font],
      "/package": ["application/octet-stream", () => bytes],
      "/job": ["application/json", () => JSON.stringify(job)],
    };
    for (const name of letterFiles())
      files[`/letters/${name}`] = ["font/woff", () => readFileSync(`${LETTERS_FROM}/${name}`)];
    for (const [asset, file] of sounds) files[`/sound/${asset}`] = ["application/octet-stream", () => file];
    const server = createServer(async (request, response) => {
      if (request.method === "POST" && request.url === "/made") {
        request.on("data", (piece: Buffer) => {
          this.target?.write(this.at, piece);
          this.at += piece.byteLength;
        });
        request.on("end", () => response.end());
        return;
      }
      const found = files[request.url ?? ""];
      if (!found) response.writeHead(404).end();
      else response.setHeader("Content-Type", found[0]).end(await found[1]());
    });
    this.server = server;
    await new Promise<void>((r) => server.listen(0, "127.0.0.1", r));
    const { port } = server.address() as { port: number };
    const browser = await launch();
    this.ends.push(() => browser.close());
    const tab = await browser.newPage();
    tab.setDefaultTimeout(0);
    await tab.exposeFunction("plextanTell", this.tell);
    await tab.goto(`http://127.0.0.1:${port}/`);
    return tab;
  }
}
