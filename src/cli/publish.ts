import { closeSync, openSync, readFileSync, renameSync, rmSync, writeSync } from "node:fs";
import { createServer } from "node:http";
import path from "node:path";
import type { Output } from "../core/document/outputs";
import { contextOf, type OutputKind, settingsOf } from "../core/outputs/kind";
import { outputKindOf } from "../core/outputs/kinds";
import { ProjectFileError } from "../formats/out/project/file";
import { MAKERS } from "../workers/outputs/makers";
import type { Sink } from "../workers/outputs/sink";
import { browserTools } from "./browserTools";
import { playerCode } from "./buildPlayer";
import { openProject } from "./openProject";

/** Short names of what can be asked for without a stored output. */
const SHORT: Readonly<Record<string, { kind: string; settings: Output["settings"] }>> = {
  mp4: { kind: "video", settings: { format: "mp4-h264" } },
  webm: { kind: "video", settings: { format: "webm-vp9" } },
  gif: { kind: "loop", settings: { format: "gif" } },
  webp: { kind: "loop", settings: { format: "webp" } },
  png: { kind: "still", settings: { image: "png" } },
  jpg: { kind: "still", settings: { image: "jpeg" } },
  frames: { kind: "frames", settings: {} },
  glb: { kind: "scene", settings: {} },
  page: { kind: "page", settings: {} },
  vtt: { kind: "captions", settings: { format: "vtt" } },
  srt: { kind: "captions", settings: { format: "srt" } },
};

export interface PublishOptions {
  sequence?: string | undefined;
  output?: string | undefined;
  as?: string | undefined;
  size?: string | undefined;
  rate?: string | undefined;
  /** Absolute. */
  to: string;
}

/** Makes an output of a project file, as the app does. @returns what was made. @throws ProjectFileError, Refusal */
export async function publish(file: string, o: PublishOptions): Promise<unknown> {
  const { program, geometries, bytes, sounds } = await openProject(file, o.sequence);
  const output = wanted(Object.values(program.sequence.outputs ?? {}), o);
  const kind = outputKindOf(output.kind);
  if (!kind) throw new ProjectFileError(`This version cannot make "${output.kind}".`);
  Object.assign(output.settings, overrides(kind, o));
  const { settings, replaced } = settingsOf(kind, output, program);
  if (replaced.length > 0)
    throw new ProjectFileError(`These settings are not as they should be: ${replaced.join(", ")}.`);
  const context = contextOf(output, program, program.preparation.looks);
  if (!context) throw new ProjectFileError("Nothing of the sequence is left in this output's part.");
  for (const remark of kind.remarks(settings, context)) {
    if (remark.tone === "wrong") throw new ProjectFileError(remark.text);
    process.stderr.write(`${remark.text}\n`);
  }
  const target = new FileTarget(o.to);
  try {
    const made =
      kind.draws || kind.needsBrowser
        ? await drawn(output, { program, bytes, sounds, target })
        : await written(kind, settings, { ...context, preparation: program.preparation, geometries }, target);
    target.keep();
    if (process.stderr.isTTY) process.stderr.write("\r\u001b[K");
    return { file: path.basename(o.to), kind: output.kind, ...kind.plan(settings, context), ...made };
  } catch (error) {
    target.drop();
    throw error;
  }
}

function wanted(outputs: readonly Output[], o: PublishOptions): Output {
  if (o.output !== undefined) {
    const found = outputs.find((it) => it.name === o.output);
    if (!found)
      throw new ProjectFileError(
        `The sequence has no output "${o.output.slice(0, 80)}". It has: ${outputs.map((it) => `"${it.name}"`).join(", ") || "none"}.`,
      );
    return structuredClone(found);
  }
  const short = SHORT[o.as ?? "mp4"];
  if (!short)
    throw new ProjectFileError(`--as is one of ${Object.keys(SHORT).join(", ")}, not "${(o.as ?? "").slice(0, 40)}".`);
  return { id: "asked", name: o.as ?? "mp4", kind: short.kind, range: { of: "all" }, settings: { ...short.settings } };
}

function overrides(kind: OutputKind, o: PublishOptions): Output["settings"] {
  const out: Output["settings"] = {};
  if (o.size !== undefined) {
    const [, width, height] = /^(\d+)x(\d+)$/.exec(o.size) ?? [];
    if (!kind.draws || !width || !height)
      throw new ProjectFileError(
        kind.draws
          ? `--size is a width and a height such as 1280x720, not "${o.size.slice(0, 40)}".`
          : "--size is for what is drawn.",
      );
    Object.assign(out, { width: Number(width), height: Number(height) });
  }
  if (o.rate !== undefined) {
    const [, num, den] = /^(\d+)(?:\/(\d+))?$/.exec(o.rate) ?? [];
    if (!num || !kind.fields.some((f) => f.type === "rate"))
      throw new ProjectFileError(
        num
          ? "--rate is for what has frames."
          : `--rate is a number such as 30, or 30000/1001, not "${o.rate.slice(0, 40)}".`,
      );
    Object.assign(out, { rateNum: Number(num), rateDen: Number(den ?? 1) });
  }
  return out;
}

/** A file that is there only once it is whole. */
class FileTarget implements Sink {
  private readonly part: string;
  private readonly file: number;
  private open = true;

  constructor(private readonly to: string) {
    this.part = `${to}.part`;
    this.file = openSync(this.part, "w");
  }
  write(at: number, data: Uint8Array): void {
    writeSync(this.file, data, 0, data.byteLength, at);
  }
  async finish(type: string): Promise<Blob> {
    this.close();
    return new Blob([readFileSync(this.part)], { type });
  }
  keep(): void {
    this.close();
    renameSync(this.part, this.to);
  }
  drop(): Promise<void> {
    this.close();
    rmSync(this.part, { force: true });
    return Promise.resolve();
  }
  private close(): void {
    if (this.open) closeSync(this.file);
    this.open = false;
  }
}

let told = -1;
/** On a terminal in one line; elsewhere a line for every tenth. */
const progress = (share: number, what: string): void => {
  if (!process.stderr.isTTY) {
    const tenth = Math.floor(10 * share);
    if (tenth > told) process.stderr.write(`${10 * tenth} %  ${what}\n`);
    told = Math.max(told, tenth);
    return;
  }
  process.stderr.write(`\r\u001b[K${String(Math.floor(100 * share)).padStart(3)} %  ${what}`);
};

async function written(
  kind: OutputKind,
  settings: object,
  c: NonNullable<ReturnType<typeof contextOf>> & {
    preparation: Parameters<(typeof MAKERS)[string]>[1]["preparation"];
    geometries: Parameters<(typeof MAKERS)[string]>[1]["pkg"]["geometries"];
  },
  target: FileTarget,
): Promise<object> {
  const make = MAKERS[kind.id];
  if (!make) throw new ProjectFileError(`This version cannot make "${kind.id}".`);
  const { signal } = new AbortController();
  const pkg = { assembly: c.program.index.assembly, geometries: c.geometries };
  const [pcmOf, fileOf] = [() => null, async () => null];
  const made = await make(settings as never, {
    ...c,
    pkg,
    sink: target,
    plain: false,
    signal,
    pcmOf,
    fileOf,
    tell: progress,
  });
  const file = await target.finish(made.type);
  return { bytes: file.size, checked: (await made.check?.(file)) ?? [] };
}

/** Draws in Chromium without a window: the same worker as the app's. */
async function drawn(
  output: Output,
  {
    program,
    bytes,
    sounds,
    target,
  }: {
    program: Awaited<ReturnType<typeof openProject>>["program"];
    bytes: Uint8Array;
    sounds: ReadonlyMap<string, Uint8Array>;
    target: FileTarget;
  },
): Promise<object> {
  const { bundle, launch } = await browserTools();
  const [page, worker, player] = await Promise.all([
    bundle("src/cli/publishPage.ts"),
    bundle("src/workers/publish.ts"),
    output.kind === "page" ? playerCode() : "",
  ]);
  const font = readFileSync("node_modules/@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-500-normal.woff2");
  const { preparation, sequence } = program;
  const job = { assembly: program.index.assembly, preparation, sequence, output };
  const files: Record<string, [string, Uint8Array | string]> = {
    "/": ["text/html", "<!doctype html><body><script src=/page.js></script>"],
    "/page.js": ["text/javascript", page],
    "/worker.js": ["text/javascript", worker],
    "/player.js": ["text/javascript", player],
    "/font.woff2": ["font/woff2", font],
    "/package": ["application/octet-stream", bytes],
    "/job": ["application/json", JSON.stringify(job)],
  };
  for (const [asset, file] of sounds) files[`/sound/${asset}`] = ["application/octet-stream", file];
  let at = 0;
  const server = createServer((request, response) => {
    if (request.method === "POST" && request.url === "/made") {
      request.on("data", (piece: Buffer) => {
        target.write(at, piece);
        at += piece.byteLength;
      });
      request.on("end", () => response.end());
      return;
    }
    const found = files[request.url ?? ""];
    if (!found) response.writeHead(404).end();
    else response.setHeader("Content-Type", found[0]).end(found[1]);
  });
  await new Promise<void>((r) => server.listen(0, "127.0.0.1", r));
  const { port } = server.address() as { port: number };
  const browser = await launch();
  try {
    const tab = await browser.newPage();
    tab.setDefaultTimeout(0);
    await tab.exposeFunction("plextanTell", progress);
    await tab.goto(`http://127.0.0.1:${port}/`);
    const made = (await tab.evaluate("window.plextanMade")) as { checked: string[]; fault?: string };
    if (made.fault !== undefined) throw new ProjectFileError(made.fault);
    return { bytes: at, checked: made.checked };
  } finally {
    await browser.close();
    server.close();
  }
}
