import { closeSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeSync } from "node:fs";
import path from "node:path";
import type { Output } from "../core/document/outputs";
import { contextOf, type OutputKind, settingsOf } from "../core/outputs/kind";
import { outputKindOf } from "../core/outputs/kinds";
import { isMeant } from "../core/text/problem";
import { ProjectFileError } from "../formats/out/project/file";
import { MAKERS } from "../workers/outputs/makers";
import type { Sink } from "../workers/outputs/sink";
import { DrawingRoom } from "./drawingRoom";
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
  pdf: { kind: "sheets", settings: { format: "pdf" } },
  sheets: { kind: "sheets", settings: { format: "html" } },
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
  const project = await openProject(file, o.sequence);
  const output = wanted(Object.values(project.program.sequence.outputs ?? {}), o);
  const room = new DrawingRoom(project, progress);
  try {
    return await make(project, room, output, o, o.to);
  } finally {
    await room.close();
  }
}

/**
 * Makes all outputs that are kept with a sequence into a folder, each under its own name, in one browser. What cannot be
 * made does not keep the rest from it.
 * @returns for each what was made, or why it was not
 */
export async function publishAll(
  file: string,
  o: { sequence?: string | undefined; to: string },
): Promise<{ results: object[]; failed: boolean }> {
  const project = await openProject(file, o.sequence);
  const outputs = Object.values(project.program.sequence.outputs ?? {});
  if (outputs.length === 0)
    throw new ProjectFileError("No outputs are kept with this sequence. Add them in the app, or make one by --as.");
  mkdirSync(o.to, { recursive: true });
  const room = new DrawingRoom(project, progress);
  const names = new Set<string>();
  const results: object[] = [];
  let failed = false;
  try {
    for (const output of outputs) {
      const kind = outputKindOf(output.kind);
      const ending = kind?.file(settingsOf(kind, output, project.program).settings).ending ?? "";
      const name = freeName(output.name.replace(/[\\/:*?"<>|]/g, "_"), ending, names);
      told = -1;
      process.stderr.write(`${output.name}\n`);
      try {
        results.push({ output: output.name, ...(await make(project, room, output, {}, path.join(o.to, name))) });
      } catch (error) {
        if (!isMeant(error)) throw error;
        failed = true;
        results.push({ output: output.name, fault: (error as Error).message });
      }
    }
  } finally {
    await room.close();
  }
  return { results, failed };
}

/** A name of a file that none of the others has. */
function freeName(name: string, ending: string, taken: Set<string>): string {
  let free = `${name}${ending}`;
  for (let n = 2; taken.has(free.toLowerCase()); n++) free = `${name} ${n}${ending}`;
  taken.add(free.toLowerCase());
  return free;
}

async function make(
  project: Awaited<ReturnType<typeof openProject>>,
  room: DrawingRoom,
  output: Output,
  o: Pick<PublishOptions, "size" | "rate">,
  to: string,
): Promise<object> {
  const { program, geometries } = project;
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
  const target = new FileTarget(to);
  try {
    const made =
      kind.draws || kind.needsBrowser
        ? await room.make(output, target)
        : await written(kind, settings, { ...context, preparation: program.preparation, geometries }, target);
    target.keep();
    if (process.stderr.isTTY) process.stderr.write("\r\u001b[K");
    return { file: path.basename(to), kind: output.kind, ...kind.plan(settings, context), ...made };
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

function overrides(kind: OutputKind, o: Pick<PublishOptions, "size" | "rate">): Output["settings"] {
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
