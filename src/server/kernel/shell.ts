import { spawn } from "node:child_process";
import { existsSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import path from "node:path";
import { dyingWithUs } from "../database/processes";

/** The CAD kernel's own shell, as Debian's packages bring it. */
export interface NativeKernel {
  command: string;
  /** Its libraries under the names that it looks for. */
  libraries: string;
  resources: string;
}

/** Address space that it may have, bytes, and processor time, s. What needs more is refused. */
const MEMORY_BYTES = 6 * 1024 ** 3;
const CPU_SECONDS = 900;

/** Lines of ours among what it prints. */
export const MARK = "plextan:";
/** The script of a reading, in the reading's folder. */
export const RUN = "run.tcl";
/** What a shell does until it is told what to read. */
const WAIT = "wait.tcl";

/** Lines of a script that tell how far it is. */
export const mark = (what: string): string[] => [`puts "${MARK}${what}"`, "flush stdout"];

/**
 * Loads the libraries, waits for the folder of a reading, and does what its script says. The folder comes as a line,
 * which is never looked at as code. Where whoever started it is gone, so is the line, and it ends.
 */
const WAITING = [
  "if {[catch {",
  ...["pload MODELING", "pload OCAF", "pload XDE"],
  "} e]} {",
  `puts "${MARK}failed $e"`,
  "exit",
  "}",
  "if {[gets stdin folder] < 0} exit",
  "cd $folder",
  `source ${RUN}`,
  "exit",
  "",
].join("\n");

export interface Ended {
  how: "done" | "failed" | "crashed" | "limit";
  said: string;
}

/** A process that reads one file. */
export interface Shell {
  /** Whether it still is there to be used. */
  readonly waits: boolean;
  /**
   * Lets it read what lies in a folder, once.
   * @param stage hears the marks of the script
   */
  run(folder: string, stage: (what: string) => void): Promise<Ended>;
}

/** What it says where the memory it may have is used up. */
const OUT_OF_MEMORY = /bad_alloc|out of memory|Standard_OutOfMemory|cannot allocate/i;
const MOST_SAID = 64_000;

/** The file with what one does that waits; whole at any time, for several may be started at once. */
function waitingScript(folder: string): string {
  const script = path.resolve(folder, WAIT);
  if (existsSync(script) && readFileSync(script, "utf8") === WAITING) return script;
  const fresh = `${script}.${process.pid}`;
  writeFileSync(fresh, WAITING);
  renameSync(fresh, script);
  return script;
}

/** Starts one that waits. It does not keep this process alive before it is used. */
export function startShell(kernel: NativeKernel): Shell {
  const script = waitingScript(kernel.libraries);
  const bounds = `ulimit -v ${Math.round(MEMORY_BYTES / 1024)}; ulimit -t ${CPU_SECONDS}; ulimit -c 0; exec "$0" -b -f "$1"`;
  const [command, args] = dyingWithUs("KILL", "/bin/sh", ["-c", bounds, kernel.command, script]);
  const child = spawn(command, args, {
    cwd: kernel.libraries,
    stdio: ["pipe", "pipe", "pipe"],
    // It has no business with anything else of ours.
    env: {
      ...{ PATH: "/usr/bin:/bin", HOME: kernel.libraries, LC_ALL: "C.UTF-8" },
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
  let ended: Ended | null = null;
  let heard: (what: string) => void = () => {};
  let tell: (ended: Ended) => void = () => {};
  const end = (is: Ended) => {
    ended ??= is;
    tell(ended);
  };
  const hear = (chunk: Buffer) => {
    said = (said + chunk.toString("utf8")).slice(-MOST_SAID);
    const lines = (line + chunk.toString("utf8")).split("\n");
    line = (lines.pop() ?? "").slice(-MOST_SAID);
    for (const l of lines) {
      if (!l.startsWith(MARK)) continue;
      const what = l.slice(MARK.length);
      if (what === "done") {
        how = "done";
        // What it stored is there; how it ends is of no interest any more.
        end({ how, said });
      } else if (what.startsWith("failed")) how = "failed";
      else heard(what);
    }
  };
  child.stdout.on("data", hear);
  child.stderr.on("data", hear);
  child.once("error", (error) => end({ how: "crashed", said: error.message }));
  child.once("close", (_code, signal) => {
    if (how !== "done" && (signal === "SIGXCPU" || signal === "SIGKILL" || OUT_OF_MEMORY.test(said))) how = "limit";
    end({ how, said });
  });
  // One that died before it was told what to read breaks the pipe; its end says so.
  child.stdin.on("error", () => {});
  const pipes = [child.stdin, child.stdout, child.stderr] as unknown as { ref(): void; unref(): void }[];
  child.unref();
  for (const p of pipes) p.unref();
  return {
    get waits() {
      return ended === null;
    },
    run(folder, stage) {
      child.ref();
      for (const p of pipes) p.ref();
      heard = stage;
      return new Promise((resolve) => {
        tell = resolve;
        if (ended) resolve(ended);
        else child.stdin.end(`${folder}\n`);
      });
    },
  };
}
