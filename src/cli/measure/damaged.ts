import { existsSync, readdirSync } from "node:fs";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { IMPORT_DEFAULTS } from "../../core/assembly/importSettings";
import { encodePackage } from "../../core/assembly/package";
import { ImportError } from "../../formats/importError";
import { ProjectFileError, readProjectFile } from "../../formats/out/project/file";
import { readSource } from "../../formats/read";
import { KernelPool } from "../../server/kernel/pool";
import type { Measurement } from "./measurement";
import { seeded } from "./random";
import { smallProject } from "./smallProject";

/** A whole file to be damaged, with what it holds. */
interface Whole {
  name: string;
  bytes: Uint8Array;
  parts: number;
  triangles: number;
  /** Triangles depend on numbers alone where a surface is meshed; then faces are compared. */
  faces: number;
}

export interface DamagedResult {
  read: number;
  refused: number;
  /** Readers that died. */
  crashes: string[];
  hangs: string[];
  /** Came in with less than the whole file holds, and not a word. */
  silent: string[];
  /** Refused with words that are no help. */
  unclear: string[];
}

const THIRD_PARTY = "node_modules/occt-import-js/test/testfiles";
const TIME_MS = 60_000;

/** Damages that files suffer: bits and bytes changed, pieces lost, doubled, blanked or swapped, ends cut off. */
function damage(bytes: Uint8Array, random: () => number): { bytes: Uint8Array; how: string } {
  const at = Math.floor(random() * bytes.length);
  const length = 1 + Math.floor(random() ** 3 * Math.min(4000, bytes.length - at));
  const kinds: [string, () => Uint8Array][] = [
    [`bit ${at}`, () => bytes.map((b, i) => (i === at ? b ^ (1 << Math.floor(8 * random())) : b))],
    [`byte ${at}`, () => bytes.map((b, i) => (i === at ? Math.floor(256 * random()) : b))],
    [`cut at ${at}`, () => bytes.slice(0, at)],
    [
      `${length} bytes lost at ${at}`,
      () => Uint8Array.from([...bytes.subarray(0, at), ...bytes.subarray(at + length)]),
    ],
    [
      `${length} bytes doubled at ${at}`,
      () => Uint8Array.from([...bytes.subarray(0, at + length), ...bytes.subarray(at)]),
    ],
    [`${length} zeros at ${at}`, () => bytes.map((b, i) => (i >= at && i < at + length ? 0 : b))],
  ];
  const [how, make] = kinds[Math.floor(random() * kinds.length)] as (typeof kinds)[number];
  return { bytes: make(), how };
}

/** Reads damaged files, the same ones for the same seed. */
export async function damagedFiles(
  count: number,
  seed: number,
  wholes: readonly Whole[],
  kernels: KernelPool,
  log: (line: string) => void = () => {},
): Promise<DamagedResult> {
  const random = seeded(seed);
  const out: DamagedResult = { read: 0, refused: 0, crashes: [], hangs: [], silent: [], unclear: [] };
  for (let n = 0; n < count; n++) {
    const whole = wholes[n % wholes.length] as Whole;
    const { bytes, how } = damage(whole.bytes, random);
    const what = `${whole.name}, ${how}`;
    try {
      if (whole.name.endsWith(".plextan.zip")) {
        readProjectFile(bytes);
        // Whatever is damaged in a sealed file is noticed.
        out.silent.push(what);
        continue;
      }
      const { assembly } = await kernels.read(bytes, whole.name, () => {});
      out.read++;
      const parts = assembly.nodes.filter((p) => p.kind === "part").length;
      const triangles = assembly.nodes.reduce((s, p) => s + (assembly.geometries[p.geometry]?.triangles ?? 0), 0);
      const less = parts < whole.parts || (whole.faces === 0 && triangles < whole.triangles);
      if (less && assembly.warnings.length === 0)
        out.silent.push(`${what}: ${parts} of ${whole.parts} parts, ${triangles} of ${whole.triangles} triangles`);
    } catch (error) {
      const text = (error as Error).message;
      out.refused++;
      if (/crash/.test(text)) out.crashes.push(`${what}: ${text}`);
      else if (/took longer|memory to read/.test(text)) out.hangs.push(`${what}: ${text}`);
      else if (!(error instanceof ImportError || error instanceof ProjectFileError) || !clear(text))
        out.unclear.push(`${what}: ${text}`);
    }
    if ((n + 1) % 50 === 0) log(`${n + 1} of ${count}`);
  }
  return out;
}

/** A sentence that a user can do something with. */
const clear = (text: string) =>
  /^[A-Z"].*\.$/s.test(text) &&
  text.length > 25 &&
  !/undefined|\[object|is not a function|cannot read prop|null|NaN|\bat [A-Z]\w+\./i.test(text);

/** The files that are damaged: some of every format. */
export async function wholeFiles(kernels: KernelPool, few = false): Promise<Whole[]> {
  const step = existsSync(THIRD_PARTY)
    ? [
        "simple-basic-cube/cube.stp",
        "conical-surface/conical-surface.step",
        ...(few ? [] : ["cax-if/as1_pe_203.stp", "cax-if/as1-tu-203.stp", "cax-if/dm1-pe-214.stp"]),
      ].map((f) => path.join(THIRD_PARTY, f))
    : [];
  const given: { name: string; bytes: Uint8Array }[] = [];
  for (const f of step) given.push({ name: path.basename(f), bytes: new Uint8Array(await readFile(f)) });
  const folder = path.join(THIRD_PARTY, "cube-10x10mm");
  for (const f of existsSync(folder) ? readdirSync(folder).filter((n) => n.endsWith(".stl")) : [])
    given.push({ name: f, bytes: new Uint8Array(await readFile(path.join(folder, f))) });
  const project = readProjectFile(smallProject(2));
  given.push(
    { name: "cube.obj", bytes: project.source.bytes },
    { name: "cube.glb", bytes: encodePackage(project.decoded) },
  );
  const wholes: Whole[] = [{ name: "small.plextan.zip", bytes: smallProject(2), parts: 0, triangles: 0, faces: 0 }];
  for (const g of given) {
    const { assembly } = /\.(stp|step)$/.test(g.name)
      ? await kernels.read(g.bytes, g.name, () => {})
      : await readSource(
          g.bytes,
          g.name,
          { start: () => Promise.reject(new Error("no kernel")) },
          undefined,
          IMPORT_DEFAULTS,
        );
    wholes.push({
      ...g,
      parts: assembly.nodes.filter((p) => p.kind === "part").length,
      triangles: assembly.nodes.reduce((s, p) => s + (assembly.geometries[p.geometry]?.triangles ?? 0), 0),
      faces: assembly.format === "step" ? 1 : 0,
    });
  }
  return wholes;
}

/** A thousand damaged files: crashes, hangs, silent losses and unclear messages, each of which must be 0. */
export async function measureDamaged(): Promise<Measurement[]> {
  const count = Number(process.env.PLEXTAN_FILES ?? 1000);
  const kernels = new KernelPool({ processes: 2, timeMs: TIME_MS });
  try {
    const r = await damagedFiles(
      count,
      Number(process.env.PLEXTAN_SEED ?? 1),
      await wholeFiles(kernels),
      kernels,
      (line) => process.stderr.write(`${line}\n`),
    );
    const line = (name: string, list: string[]): Measurement => ({
      name: `damaged-${name}`,
      ours: list.length,
      reference: count,
      ratio: list.length / count,
      unit: "files",
      ...(list.length > 0 ? { note: list.slice(0, 8).join(" | ") } : {}),
    });
    return [line("crashes", r.crashes), line("hangs", r.hangs), line("silent", r.silent), line("unclear", r.unclear)];
  } finally {
    kernels.close();
  }
}
