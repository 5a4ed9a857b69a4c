import { existsSync, readFileSync } from "node:fs";
import net from "node:net";

const SETPRIV = "/usr/bin/setpriv";

/**
 * A command that the system ends with `signal` when the process that started it dies, however it dies: whoever is
 * killed leaves nothing behind that holds a port or a data folder. (util-linux' setpriv; without it the command runs
 * as it is, and the next start finds what was left, see {@link endLeftover}.)
 */
export function dyingWithUs(signal: "TERM" | "KILL", command: string, args: string[]): [string, string[]] {
  return existsSync(SETPRIV) ? [SETPRIV, ["--pdeathsig", signal, command, ...args]] : [command, args];
}

/** True while a process lives whose command line holds a text. */
export function runs(pid: number, holds: string): boolean {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, "utf8").replaceAll("\0", " ").includes(holds);
  } catch {
    return false;
  }
}

/** Ends a process that an earlier start left behind, properly if it lets itself be ended so. */
export async function endLeftover(pid: number, holds: string): Promise<void> {
  for (const [signal, waitMs] of [
    ["SIGTERM", 15_000],
    ["SIGKILL", 5000],
  ] as const) {
    if (!runs(pid, holds)) return;
    process.kill(pid, signal);
    for (let waited = 0; waited < waitMs && runs(pid, holds); waited += 50) await new Promise((r) => setTimeout(r, 50));
  }
}

/** Whether nothing listens on a port of ours; waits a moment for what is just ending. */
export async function portIsFree(port: number, waitMs = 2500): Promise<boolean> {
  for (let waited = 0; ; waited += 100) {
    const free = await new Promise<boolean>((resolve) => {
      const server = net.createServer();
      server.once("error", () => resolve(false));
      server.listen(port, "127.0.0.1", () => server.close(() => resolve(true)));
    });
    if (free || waited >= waitMs) return free;
    await new Promise((r) => setTimeout(r, 100));
  }
}
