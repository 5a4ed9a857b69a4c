import { execFile } from "node:child_process";
import { promisify } from "node:util";

export const run = promisify(execFile);

/** Calls `bin/plextan`. @returns its exit code and what it said */
export const plextan = (...args: string[]): Promise<{ code: number; out: string; err: string }> =>
  run("bin/plextan", args, { maxBuffer: 1 << 26 }).then(
    (r) => ({ code: 0, out: r.stdout, err: r.stderr }),
    (e: { code: number; stdout: string; stderr: string }) => ({ code: e.code, out: e.stdout, err: e.stderr }),
  );
