import { type ChildProcess, spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import type { Assembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings } from "../../core/assembly/importSettings";
import { ImportError, type ImportStage } from "../../formats/importError";
import { ProjectFileError } from "../../formats/out/project/file";
import { dyingWithUs } from "../database/processes";
import { openSpool } from "../files/spool";
import { programArgs } from "../programs";
import type { FromChild, ReaderTasks, TaskKind, ToChild } from "./messages";

export interface KernelLimits {
  /** Resident memory above which a reader is killed, bytes. WebAssembly memory is outside Node's own limits. */
  memoryBytes?: number;
  /**
   * Processor time one task may take, ms. On the clock it may take {@link WALL_FACTOR} times that: a machine that is
   * busy with other things is no fault of the file.
   */
  timeMs?: number;
  /** Processes kept with the CAD kernel started: one warm, the others spare. */
  processes?: number;
  /** Processes kept for what needs no kernel: project files, mesh formats. */
  light?: number;
}
const DEFAULTS: Required<KernelLimits> = { memoryBytes: 4 * 1024 ** 3, timeMs: 10 * 60_000, processes: 2, light: 1 };

export interface ReadResult {
  package: Uint8Array;
  assembly: Assembly;
}

export interface RunOptions {
  onProgress?: (stage: ImportStage, share: number | null) => void;
  signal?: AbortSignal | undefined;
}

/** Thrown when the caller's signal ended a read. */
export class CancelledError extends Error {}

interface Member {
  child: ChildProcess;
  /** Meant to have the kernel started; a light one starts it only if it must. */
  kernel: boolean;
  /** Listens, and, if it is meant to, has its kernel. */
  ready: boolean;
  busy: boolean;
  tasks: number;
}

/** How much longer than its processor time a task may wait for a busy machine. */
const WALL_FACTOR = 6;

/** A process is replaced after so many tasks, since the kernel keeps part of what it allocated. */
const TASKS_PER_PROCESS = 25;

const WITHOUT_KERNEL = /\.(glb|gltf|obj|stl|3mf)$/i;

/**
 * Child processes that read and write files: the CAD kernel and everything that may be hostile, huge or slow runs
 * there.
 * A crash, a limit or a cancel costs a process, never the server, and no file is ever unpacked or parsed in the thread
 * that answers requests.
 */
export class KernelPool {
  private members: Member[] = [];
  private readonly limits: Required<KernelLimits>;
  private closed = false;
  private starting = false;
  /** Those who wait for a member: called whenever one may be free. */
  private waiting: (() => void)[] = [];

  constructor(limits: KernelLimits = {}) {
    this.limits = { ...DEFAULTS, ...limits };
    this.fill();
  }

  /** True when a process waits that can read anything at once. */
  get ready(): boolean {
    return this.members.some((m) => m.ready && (m.kernel || this.limits.processes === 0));
  }

  /**
   * Starts what is missing, light ones first, then kernels one after the other: two compiling at once would make both
   * late.
   */
  private fill(): void {
    if (this.closed || this.starting) return;
    const count = (kernel: boolean) => this.members.filter((m) => m.kernel === kernel).length;
    const kernel = count(false) >= this.limits.light;
    if (kernel && count(true) >= this.limits.processes) return;
    this.starting = true;
    const member = this.start(kernel, () => {
      this.starting = false;
      this.fill();
      this.wake();
    });
    this.members.push(member);
  }

  private start(kernel: boolean, settled: () => void): Member {
    const [command, args] = dyingWithUs(
      "KILL",
      process.execPath,
      programArgs("reader", process.env.NODE_ENV === "production"),
    );
    const child = spawn(command, args, {
      cwd: process.cwd(),
      serialization: "advanced",
      stdio: ["ignore", "ignore", "inherit", "ipc"],
      // The reader has no business with the database.
      env: { ...process.env, PLEXTAN_DATABASE: "", PLEXTAN_NODES: "" },
    });
    const member: Member = { child, kernel, ready: false, busy: false, tasks: 0 };
    let told = false;
    const tell = () => {
      if (!told) settled();
      told = true;
    };
    child.on("message", (m: FromChild) => {
      if (m.type === "ready" && kernel) child.send({ type: "warm" } satisfies ToChild);
      if (m.type === (kernel ? "warm" : "ready")) {
        member.ready = true;
        tell();
      }
    });
    child.once("exit", () => {
      this.members = this.members.filter((m) => m !== member);
      if (told) setTimeout(() => this.fill(), 50);
      else setTimeout(tell, 300);
      this.wake();
    });
    child.once("error", () => child.kill("SIGKILL"));
    return member;
  }

  private wake(): void {
    for (const w of this.waiting.splice(0)) w();
  }

  /** Takes it out of use at once: a process that is about to die is nobody's any more. */
  private retire(member: Member): void {
    this.members = this.members.filter((m) => m !== member);
    member.child.kill("SIGKILL");
  }

  private async take(kernel: boolean, signal: AbortSignal | undefined): Promise<Member> {
    for (;;) {
      if (this.closed) throw new ImportError("unreadable", "Plextan is being stopped. Try again when it is back.");
      if (signal?.aborted) throw new CancelledError("cancelled");
      this.fill();
      // What needs no kernel leaves the kernels to what does; where there are none of a kind, the other serves.
      const of = (k: boolean) => this.members.filter((m) => m.kernel === k);
      const wanted = of(kernel).length > 0 ? of(kernel) : this.members;
      const free =
        wanted.find((m) => !m.busy && m.ready) ?? (kernel ? undefined : of(true).find((m) => !m.busy && m.ready));
      if (free) {
        free.busy = true;
        return free;
      }
      await new Promise<void>((resolve) => {
        this.waiting.push(resolve);
        signal?.addEventListener("abort", () => resolve(), { once: true });
      });
    }
  }

  /**
   * Has a task done in a child process; waits while all are busy.
   * @throws ImportError or ProjectFileError for a bad file, a crash or a limit; CancelledError when `signal` is
   * aborted.
   */
  async run<K extends TaskKind>(
    kind: K,
    request: ReaderTasks[K]["request"],
    { onProgress, signal }: RunOptions = {},
  ): Promise<ReaderTasks[K]["result"]> {
    const name = (request as { fileName?: string }).fileName;
    const member = await this.take(kind === "source" && !WITHOUT_KERNEL.test(name ?? ""), signal);
    const { child } = member;
    const { memoryBytes, timeMs } = this.limits;
    const started = Date.now();
    const used = processorMs(child.pid) ?? 0;
    let why: Error | null = null;
    const end = (error: Error) => {
      why ??= error;
      this.retire(member);
    };
    const watch = setInterval(() => {
      if (residentBytes(child.pid) > memoryBytes)
        end(
          new ImportError(
            "too-large",
            `The file needs more than ${Math.round(memoryBytes / 1024 ** 2)} MB of memory to read. Split the assembly, or export it with fewer details.`,
          ),
        );
      else if (tooLong(Date.now() - started, (processorMs(child.pid) ?? Number.POSITIVE_INFINITY) - used, timeMs))
        end(
          new ImportError(
            "too-large",
            `Reading the file took longer than ${Math.round(timeMs / 1000)} s and was stopped. Split the assembly, or export it with fewer details.`,
          ),
        );
    }, 100);
    const onAbort = () => end(new CancelledError("cancelled"));
    if (signal?.aborted) onAbort();
    signal?.addEventListener("abort", onAbort);
    let fatal = false;
    try {
      return await new Promise<ReaderTasks[K]["result"]>((resolve, reject) => {
        const onExit = () =>
          reject(
            why ??
              new ImportError(
                "unreadable",
                "The file made the reader crash. It is probably damaged; export it again, or in another format.",
              ),
          );
        child.once("exit", onExit);
        const onMessage = (message: FromChild) => {
          if (message.type === "progress") return onProgress?.(message.stage, message.share);
          if (message.type === "ready" || message.type === "warm") return;
          child.off("message", onMessage);
          child.off("exit", onExit);
          if (message.type === "done") return resolve(message.result as ReaderTasks[K]["result"]);
          fatal = message.fatal;
          reject(
            message.code === "project"
              ? new ProjectFileError(message.message)
              : new ImportError(message.code, message.message),
          );
        };
        child.on("message", onMessage);
        child.send({ type: "task", kind, ...request } as ToChild, (error) => error && onExit());
      });
    } finally {
      clearInterval(watch);
      signal?.removeEventListener("abort", onAbort);
      member.busy = false;
      if (fatal || ++member.tasks >= TASKS_PER_PROCESS) this.retire(member);
      this.wake();
    }
  }

  /** Reads a file that is in memory. @throws as {@link run} */
  async read(
    bytes: Uint8Array,
    fileName: string,
    onProgress: (stage: ImportStage, share: number | null) => void,
    signal?: AbortSignal,
    settings: ImportSettings = IMPORT_DEFAULTS,
  ): Promise<ReadResult> {
    const spool = await openSpool();
    try {
      await writeFile(spool.path("in"), bytes);
      const { assembly } = await this.run(
        "source",
        { path: spool.path("in"), fileName, settings, out: spool.path("out") },
        { onProgress, signal },
      );
      return { assembly, package: new Uint8Array(await readFile(spool.path("out"))) };
    } finally {
      await spool.clear();
    }
  }

  /** Ends all processes. */
  close(): void {
    this.closed = true;
    for (const m of this.members) m.child.kill("SIGKILL");
    this.members = [];
    this.wake();
  }
}

/** Whether a task that ran for `wallMs` on the clock and `cpuMs` of processor time is over its limit. */
export const tooLong = (wallMs: number, cpuMs: number, timeMs: number): boolean =>
  wallMs > timeMs && (cpuMs > timeMs || wallMs > WALL_FACTOR * timeMs);

/** Processor time a process has used, ms, from /proc (in ticks of 10 ms); null where that cannot be read. */
function processorMs(pid: number | undefined): number | null {
  if (!pid) return null;
  try {
    // The name of the program stands in brackets and may hold anything, so the fields are counted from its end.
    const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ").at(-1)?.split(" ") ?? [];
    const ticks = Number(fields[11]) + Number(fields[12]);
    return Number.isFinite(ticks) ? ticks * 10 : null;
  } catch {
    return null;
  }
}

/** Resident memory of a process in bytes, from /proc; 0 where that cannot be read. */
function residentBytes(pid: number | undefined): number {
  if (!pid) return 0;
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, "utf8").split(" ")[1]) * 4096;
  } catch {
    return 0;
  }
}
