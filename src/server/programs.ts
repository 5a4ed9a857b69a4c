import { existsSync } from "node:fs";

/** Where the build puts programs, from the project's folder: gone with the build that they belong to. */
export const PROGRAMS = ".next/programs";

/** What is started as a process of its own: sources, from the project's folder. The command line is started by `bin`. */
export const SOURCES = {
  app: "src/app/main.ts",
  reader: "src/server/kernel/child.ts",
  commands: "src/cli/plextan.ts",
} as const;

/**
 * How Node starts one of our programs: as it was built, in a third of the time, or from its source where nothing is
 * built.
 * @param built whether the build may be taken: what works from sources must not meet an older build of the rest
 */
export function programArgs(program: keyof typeof SOURCES, built: boolean): string[] {
  const source = SOURCES[program];
  const made = `${PROGRAMS}/${source.replace(/\.ts$/, ".mjs")}`;
  return built && existsSync(made) ? [made] : ["--import", "tsx", source];
}
