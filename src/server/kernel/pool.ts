import { type ChildProcess, spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import type { Assembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings } from "../../core/assembly/importSettings";
import { ImportError, type ImportStage } from "../../formats/importError";
import type { FromChild, ToChild } from "./messages";

export interface KernelLimits {
  /** Resident memory above which a reader is killed, bytes. WebAssembly memory is outside Node's own limits. */
  memoryBytes?: number;
  /** Time one file may take, ms. */
  timeMs?: number;
  /** Processes kept: one warm, the others spare. */
  processes?: number;
}
const DEFAULTS: Required<KernelLimits> = { memoryBytes: 3 * 1024 ** 3, timeMs: 10 * 60_000, processes: 2 };

export interface ReadResult {
  package: Uint8Array;
  assembly: Assembly;
}

/** Thrown when the caller's signal ended a read. */
export class CancelledError extends Error {}

interface Member {
  child: ChildProcess;
  ready: Promise<void>;
  busy: boolean;
  isReady: boolean;
  reads: number;
}

/** The reader's program, from the project's folder. */
const READER = "src/server/kernel/child.ts";

/** A process is replaced after so many files, since the kernel keeps part of what it allocated. */
const READS_PER_PROCESS = 25;

/** Child processes that read CAD files: one warm, one spare. A crash, a limit or a cancel costs a process, never the server. */
export class KernelPool {
  private members: Member[] = [];
  private readonly limits: Required<KernelLimits>;
  private closed = false;

  constructor(limits: KernelLimits = {}) {
    this.limits = { ...DEFAULTS, ...limits };
    this.fill();
  }

  /** True when a warm process waits. */
  get ready(): boolean {
    return this.members.some((m) => m.isReady);
  }

  /** Starts what is missing, one after the other: two kernels compiling at once would make both late. */
  private fill(): void {
    if (this.closed || this.members.length >= this.limits.processes) return;
    const member = this.start();
    this.members.push(member);
    void member.ready.then(() => this.fill()).catch(() => {});
  }

  private start(): Member {
    const child = spawn(process.execPath, ["--import", "tsx", READER], {
      cwd: process.cwd(),
      serialization: "advanced",
      stdio: ["ignore", "ignore", "inherit", "ipc"],
      // The reader has no business with the database.
      env: { ...process.env, PLEXTAN_DATABASE: "" },
    });
    const member: Member = { child, busy: false, isReady: false, reads: 0, ready: Promise.resolve() };
    member.ready = new Promise((resolve, reject) => {
      child.once("message", () => {
        member.isReady = true;
        resolve();
      });
      child.once("exit", () => {
        this.members = this.members.filter((m) => m !== member);
        reject(new Error("The CAD reader could not start."));
        setTimeout(() => this.fill(), 300).unref();
      });
      child.once("error", () => child.kill("SIGKILL"));
    });
    member.ready.catch(() => {});
    return member;
  }

  private async take(): Promise<Member> {
    for (let i = 0; i < 3; i++) {
      this.fill();
      const member = this.members.find((m) => !m.busy && m.isReady) ?? this.members.find((m) => !m.busy);
      if (!member) throw new Error("All CAD readers are busy.");
      member.busy = true;
      try {
        await member.ready;
        return member;
      } catch {
        this.members = this.members.filter((m) => m !== member);
      }
    }
    throw new ImportError("unreadable", "The CAD reader could not be started. Try again; if it keeps failing, restart Plextan.");
  }

  /**
   * Reads a file in a child process.
   * @throws ImportError for a bad file, a crash or a limit; CancelledError when `signal` is aborted.
   */
  async read(
    bytes: Uint8Array,
    fileName: string,
    onProgress: (stage: ImportStage, share: number | null) => void,
    signal?: AbortSignal,
    settings: ImportSettings = IMPORT_DEFAULTS,
  ): Promise<ReadResult> {
    const member = await this.take();
    const { child } = member;
    const { memoryBytes, timeMs } = this.limits;
    const started = Date.now();
    let why: Error | null = null;
    const end = (error: Error) => {
      why ??= error;
      child.kill("SIGKILL");
    };
    const watch = setInterval(() => {
      if (residentBytes(child.pid) > memoryBytes)
        end(
          new ImportError(
            "too-large",
            `The file needs more than ${Math.round(memoryBytes / 1024 ** 2)} MB of memory to read. Split the assembly, or export it with fewer details.`,
          ),
        );
      else if (Date.now() - started > timeMs)
        end(new ImportError("too-large", `Reading the file took longer than ${Math.round(timeMs / 1000)} s and was stopped. Split the assembly, or export it with fewer details.`));
    }, 250);
    const onAbort = () => end(new CancelledError("cancelled"));
    if (signal?.aborted) onAbort();
    signal?.addEventListener("abort", onAbort);
    try {
      return await new Promise<ReadResult>((resolve, reject) => {
        const onExit = () => reject(why ?? new ImportError("unreadable", "The file made the CAD reader crash. It is probably damaged; export it again, or in another format."));
        child.once("exit", onExit);
        const onMessage = (message: FromChild) => {
          if (message.type === "progress") return onProgress(message.stage, message.share);
          if (message.type === "ready") return;
          child.off("message", onMessage);
          child.off("exit", onExit);
          if (message.type === "done") return resolve({ package: message.package, assembly: message.assembly });
          if (message.fatal) child.kill("SIGKILL");
          reject(new ImportError(message.code, message.message));
        };
        child.on("message", onMessage);
        child.send({ type: "read", bytes, fileName, settings } satisfies ToChild);
      });
    } finally {
      clearInterval(watch);
      signal?.removeEventListener("abort", onAbort);
      member.busy = false;
      if (++member.reads >= READS_PER_PROCESS) child.kill("SIGKILL");
    }
  }

  /** Ends all processes. */
  close(): void {
    this.closed = true;
    for (const m of this.members) m.child.kill("SIGKILL");
    this.members = [];
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
