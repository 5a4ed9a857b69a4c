import { readFile } from "node:fs/promises";
import { createRequire } from "node:module";
import path from "node:path";
import type { OpenCascadeInstance } from "opencascade.js";
import { runGlue } from "./glue";

/*
 * The kernel's typings are generated, and often wrong or missing. Casts in this folder (`as never`, `as unknown as`)
 * stand where a call works and its typing says otherwise, and nowhere else.
 */

/** The kernel, with the heap views its Emscripten module exposes and its types leave out. */
export type Kernel = OpenCascadeInstance & {
  HEAPU8: Uint8Array;
  HEAP32: Int32Array;
  HEAPU32: Uint32Array;
  HEAPF32: Float32Array;
  HEAPF64: Float64Array;
};

let started: Promise<Kernel> | null = null;

/**
 * Starts the OpenCascade kernel (about 50 MB of WebAssembly, about 5 s on two cores); later calls share it. Node only.
 * Its messages on standard output are silenced, since the command line's output must stay clean.
 */
export function startKernel(): Promise<Kernel> {
  started ??= load();
  return started;
}

async function load(): Promise<Kernel> {
  const require = createRequire(path.join(process.cwd(), "package.json"));
  const folder = path.join(path.dirname(require.resolve("opencascade.js/package.json")), "dist");
  const wasmBinary = await readFile(path.join(folder, "opencascade.full.wasm"));
  const glue = await readFile(path.join(folder, "opencascade.full.js"), "utf8");
  const Init = runGlue<new (options: object) => Promise<Kernel>>(glue, { require, __dirname: folder });
  // It also installs handlers that turn any rejection into a crash; ours are put back.
  const before = { u: process.listeners("uncaughtException"), r: process.listeners("unhandledRejection") };
  const kernel = await new Init({ wasmBinary, print: () => {}, printErr: () => {} });
  for (const l of process.listeners("uncaughtException"))
    if (!before.u.includes(l)) process.off("uncaughtException", l);
  for (const l of process.listeners("unhandledRejection"))
    if (!before.r.includes(l)) process.off("unhandledRejection", l);
  return kernel;
}

/** The text of a C++ exception that surfaced as a number, or the error's own message. */
export function kernelMessage(kernel: Kernel, thrown: unknown): string {
  if (typeof thrown === "number") {
    try {
      const data = (
        kernel as unknown as { OCJS: { getStandard_FailureData(p: number): { GetMessageString(): string } } }
      ).OCJS;
      return data.getStandard_FailureData(thrown).GetMessageString() || "unknown fault";
    } catch {
      return "unknown fault";
    }
  }
  return thrown instanceof Error ? thrown.message : String(thrown);
}
