import { spawn } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, symlinkSync } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import { availableParallelism } from "node:os";
import path from "node:path";
import { ImportError, type ImportProgress } from "../../formats/importError";
import { INNER_NAME, relativeDeflection, type SolidSource } from "../../formats/step/model";
import type { StepOptions } from "../../formats/step/options";
import type { NativeReader } from "../../formats/step/solid";
import { dyingWithUs } from "../database/processes";
import { openSpool } from "../files/spool";

/** The CAD kernel's own shell, as Debian's packages bring it. */
interface NativeKernel {
  command: string;
  /** Its libraries under the names that it looks for. */
  libraries: string;
  resources: string;
}

const RESOURCES = "/usr/share/opencascade/resources";
/** Address space that it may have, bytes, and processor time, s. What needs more is refused. */
const MEMORY_BYTES = 6 * 1024 ** 3;
const CPU_SECONDS = 900;

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

/** Lines of ours among what it prints. */
const MARK = "plextan:";

/**
 * The script of one reading. The shell ends with 0 whatever happened, so the last mark tells whether it went well.
 */
export function scriptFor(format: SolidSource["format"], options: Required<StepOptions>): string {
  const mark = (what: string) => [`puts "${MARK}${what}"`, "flush stdout"];
  return [
    "if {[catch {",
    ...["pload MODELING", "pload OCAF", "pload XDE"],
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
    "exit",
    "",
  ].join("\n");
}

/**
 * Reads by the system's kernel in a process of its own, which the system bounds and which ends with this one.
 * @param log hears why it could not, for whoever runs Plextan
 */
export function nativeReader(
  kernel: NativeKernel | null,
  log: (why: string) => void = (why) => console.error("native kernel:", why),
): NativeReader | null {
  if (!kernel) return null;
  return async (source, options, progress) => {
    const spool = await openSpool();
    try {
      await writeFile(spool.path(INNER_NAME[source.format]), source.bytes);
      for (const p of source.parts) await writeFile(spool.path(path.basename(p.name)), p.bytes);
      await writeFile(spool.path("run.tcl"), scriptFor(source.format, options));
      const ended = await run(kernel, spool.path("."), progress);
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
}

const SAID = { failed: "could not read a file", crashed: "ended unforeseen" } as const;

interface Ended {
  how: "done" | "failed" | "crashed" | "limit";
  said: string;
}

/** What it says where the memory it may have is used up. */
const OUT_OF_MEMORY = /bad_alloc|out of memory|Standard_OutOfMemory|cannot allocate/i;
const MOST_SAID = 64_000;

function run(kernel: NativeKernel, folder: string, progress?: ImportProgress): Promise<Ended> {
  const bounds = `ulimit -v ${Math.round(MEMORY_BYTES / 1024)}; ulimit -t ${CPU_SECONDS}; ulimit -c 0; exec "$0" -b -f run.tcl`;
  const [command, args] = dyingWithUs("KILL", "/bin/sh", ["-c", bounds, kernel.command]);
  return new Promise((resolve) => {
    const child = spawn(command, args, {
      cwd: folder,
      stdio: ["ignore", "pipe", "pipe"],
      // It has no business with anything else of ours.
      env: {
        ...{ PATH: "/usr/bin:/bin", HOME: folder, LC_ALL: "C.UTF-8" },
        LD_LIBRARY_PATH: kernel.libraries,
        CSF_OCCTResourcePath: kernel.resources,
        DRAWHOME: path.join(kernel.resources, "DrawResources"),
        // Each thread would reserve its own share of the address space that it may have.
        MALLOC_ARENA_MAX: String(Math.min(4, availableParallelism())),
      } as Record<string, string> as NodeJS.ProcessEnv,
    });
    let said = "";
    let line = "";
    let how: Ended["how"] = "crashed";
    const hear = (chunk: Buffer) => {
      said = (said + chunk.toString("utf8")).slice(-MOST_SAID);
      const lines = (line + chunk.toString("utf8")).split("\n");
      line = (lines.pop() ?? "").slice(-MOST_SAID);
      for (const l of lines) {
        if (!l.startsWith(MARK)) continue;
        const what = l.slice(MARK.length);
        if (what === "done") how = "done";
        else if (what.startsWith("failed")) how = "failed";
        else if (what === "mesh") progress?.("mesh", 0);
        else if (what === "store") progress?.("mesh", 0.4);
      }
    };
    child.stdout.on("data", hear);
    child.stderr.on("data", hear);
    child.once("error", (error) => resolve({ how: "crashed", said: error.message }));
    child.once("close", (_code, signal) => {
      if (how !== "done" && (signal === "SIGXCPU" || signal === "SIGKILL" || OUT_OF_MEMORY.test(said))) how = "limit";
      resolve({ how, said });
    });
  });
}
