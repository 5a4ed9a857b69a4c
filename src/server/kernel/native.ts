import { existsSync, mkdirSync, readdirSync, symlinkSync } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { ImportError } from "../../formats/importError";
import { INNER_NAME, relativeDeflection, type SolidSource } from "../../formats/step/model";
import type { StepOptions } from "../../formats/step/options";
import type { NativeReader } from "../../formats/step/solid";
import { openSpool } from "../files/spool";
import { MARK, mark, type NativeKernel, RUN, type Shell, startShell } from "./shell";

const RESOURCES = "/usr/share/opencascade/resources";

/**
 * Finds the kernel's shell. It asks for its plug-ins by names without a version, which only development packages have:
 * it is given a folder of links.
 * @param folder where the links are put
 */
export function findNative(folder = path.join("var", "kernel")): NativeKernel | null {
  if (process.env.PLEXTAN_NATIVE_KERNEL === "off") return null;
  const command = (process.env.PATH ?? "")
    .split(path.delimiter)
    .concat("/usr/bin")
    .flatMap((p) => {
      try {
        return readdirSync(p)
          .filter((n) => /^occt-draw-\d/.test(n))
          .map((n) => path.join(p, n));
      } catch {
        return [];
      }
    })[0];
  if (!command || !existsSync(RESOURCES)) return null;
  const libraries = path.resolve(folder);
  mkdirSync(libraries, { recursive: true });
  let any = false;
  for (const base of ["/usr/lib", "/usr/lib64", ...subfolders("/usr/lib")]) {
    let names: string[] = [];
    try {
      names = readdirSync(base).filter((n) => /^libTK\w+\.so\.\d+$/.test(n));
    } catch {
      continue;
    }
    for (const name of names) {
      any = true;
      try {
        symlinkSync(path.join(base, name), path.join(libraries, name.replace(/\.\d+$/, "")));
      } catch {
        // It is there from before.
      }
    }
  }
  return any ? { command, libraries, resources: RESOURCES } : null;
}

const subfolders = (base: string): string[] => {
  try {
    return readdirSync(base)
      .filter((n) => n.endsWith("-linux-gnu"))
      .map((n) => path.join(base, n));
  } catch {
    return [];
  }
};

/** What its shell is told for each kind of file. Names are ours, so nothing needs quoting. */
const READ: Record<SolidSource["format"], readonly string[]> = {
  step: [`ReadStep D ${INNER_NAME.step}`],
  iges: [`ReadIges D ${INNER_NAME.iges}`],
  brep: [`restore ${INNER_NAME.brep} b`, "NewDocument D BinXCAF", "XAddShape D b"],
};

/**
 * The script of one reading. The shell ends with 0 whatever happened, so the last mark tells whether it went well.
 */
export function scriptFor(format: SolidSource["format"], options: Required<StepOptions>): string {
  return [
    "if {[catch {",
    ...mark("read"),
    ...READ[format],
    "XGetOneShape s D",
    ...mark("mesh"),
    `incmesh s ${relativeDeflection(options)} -relative -a ${options.angleDeg} -parallel`,
    ...mark("store"),
    // Without it no mesh is stored.
    "StoreTriangulation 1",
    "Format D BinXCAF",
    "SaveAs D out.xbf",
    ...mark("done"),
    "} e]} {",
    `puts "${MARK}failed $e"`,
    "}",
    "",
  ].join("\n");
}

/** Reads files, and can be told to have its next process at hand. */
export type StandingReader = NativeReader & {
  /** Starts the next process, so that whoever reads does not wait for it. */
  warm(): void;
};

/**
 * Reads by the system's kernel, each file in a process of its own, which the system bounds and which ends with this
 * one. Starting one takes a third of a second on a busy machine, so the next one waits with its libraries loaded.
 * @param log hears why it could not, for whoever runs Plextan
 */
export function nativeReader(
  kernel: NativeKernel | null,
  log: (why: string) => void = (why) => console.error("native kernel:", why),
): StandingReader | null {
  if (!kernel) return null;
  let next: Shell | null = null;
  const warm = () => {
    if (!next?.waits) next = startShell(kernel);
  };
  const taken = (): Shell => {
    const shell = next?.waits ? next : startShell(kernel);
    next = null;
    return shell;
  };
  const read: NativeReader = async (source, options, progress, meanwhile) => {
    const spool = await openSpool();
    try {
      await writeFile(spool.path(INNER_NAME[source.format]), source.bytes);
      for (const p of source.parts) await writeFile(spool.path(path.basename(p.name)), p.bytes);
      await writeFile(spool.path(RUN), scriptFor(source.format, options));
      const ended = await taken().run(path.resolve(spool.path(".")), (stage) => {
        if (stage === "read") meanwhile?.();
        else if (stage === "mesh") progress?.("mesh", 0);
        else if (stage === "store") progress?.("mesh", 0.4);
      });
      if (ended.how === "done") return await readFile(spool.path("out.xbf"));
      if (ended.how === "limit")
        throw new ImportError(
          "too-large",
          "The file needs more memory or time to read than it may have. Split the assembly, or export it with fewer details.",
        );
      log(`${SAID[ended.how]}: ${ended.said.slice(-300).replace(/\s+/g, " ")}`);
      return null;
    } finally {
      await spool.clear();
    }
  };
  return Object.assign(read, { warm });
}

const SAID = { failed: "could not read a file", crashed: "ended unforeseen" } as const;
