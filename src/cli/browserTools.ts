import { execFileSync } from "node:child_process";
import { CHROMIUM_ARGS } from "./measure/chromium";

/** What makes a page of our code and opens it. Loaded only by commands that draw, for both are large. */
export async function browserTools() {
  const [{ build }, { chromium }] = await Promise.all([import("esbuild"), import("@playwright/test")]);
  return {
    /** A file of this repository with all that it imports, for a page or a worker. */
    async bundle(file: string): Promise<Uint8Array> {
      const { outputFiles } = await build({
        entryPoints: [file],
        ...{ bundle: true, write: false, format: "iife", jsx: "automatic", minify: false, target: "es2022" },
        ...{
          define: { "process.env.NODE_ENV": '"production"', "import.meta.url": "location.href" },
          logLevel: "error",
        },
      });
      return outputFiles[0]?.contents ?? new Uint8Array();
    },
    /** Chromium without a window. @throws Error where none is installed */
    launch: () =>
      chromium.launch({ executablePath: process.env.CHROMIUM ?? whichChromium(), args: [...CHROMIUM_ARGS] }),
  };
}

function whichChromium(): string {
  try {
    return execFileSync("which", ["chromium"], { encoding: "utf8" }).trim();
  } catch {
    throw new Error("Chromium is missing. Install Debian's package chromium, or set CHROMIUM to a browser.");
  }
}
