import path from "node:path";
import { parseArgs } from "node:util";
import { isMeant } from "../core/text/problem";
import { inspect } from "./inspect";
import { poseAt } from "./poseAt";
import { proofOf } from "./proof";
import { publish, publishAll } from "./publish";

/** A call that cannot be taken; the message says how it should be. */
export class UsageError extends Error {}

const USAGE = `Usage:
  plextan inspect FILE --json
  plextan pose PROJECT_FILE --sequence NAME --at 2.5s|75f --json
  plextan proof PROJECT_FILE [--sequence NAME] [--only CHECK,...] [--fail-on wrong|look] --json
  plextan publish PROJECT_FILE [--output NAME | --as mp4|webm|gif|webp|page|pdf|sheets|png|jpg|frames|glb|vtt|srt]
                  [--sequence NAME] [--size 1280x720] [--rate 30] --to FILE
  plextan publish PROJECT_FILE --all [--sequence NAME] --to FOLDER
  plextan measure [--only NAME] --json`;

async function main(argv: string[]): Promise<unknown> {
  const [command, ...rest] = argv;
  // Paths are the caller's; the program itself works in its own folder, where its packages are.
  const file = (name: string | undefined) => {
    if (!name) throw new UsageError(`A file is missing.\n${USAGE}`);
    return path.resolve(process.env.PLEXTAN_CALLER ?? ".", name);
  };
  const read = (options: Record<string, { type: "string" | "boolean" }>) => {
    try {
      return parseArgs({ args: rest, allowPositionals: true, options: { json: { type: "boolean" }, ...options } });
    } catch (error) {
      throw new UsageError(`${(error as Error).message.split("\n")[0]}\n${USAGE}`);
    }
  };
  if (command === "inspect") {
    const { positionals } = read({});
    return inspect(file(positionals[0]));
  }
  if (command === "pose") {
    const { positionals, values } = read({ sequence: { type: "string" }, at: { type: "string" } });
    const { sequence, at } = values as { sequence?: string; at?: string };
    if (!at) throw new UsageError(`--at is missing: a time such as 2.5s or 75f.\n${USAGE}`);
    return poseAt(file(positionals[0]), sequence, at);
  }
  if (command === "proof") {
    const { positionals, values } = read({
      sequence: { type: "string" },
      only: { type: "string" },
      "fail-on": { type: "string" },
    });
    const { sequence, only, ...more } = values as { sequence?: string; only?: string; "fail-on"?: string };
    const { result, failed } = await proofOf(file(positionals[0]), { sequence, only, failOn: more["fail-on"] });
    if (failed) process.exitCode = 3;
    return result;
  }
  if (command === "publish") {
    const names = ["sequence", "output", "as", "size", "rate", "to"] as const;
    const { positionals, values } = read({
      ...Object.fromEntries(names.map((n) => [n, { type: "string" as const }])),
      all: { type: "boolean" },
    });
    const { to, all, ...more } = values as Partial<Record<(typeof names)[number], string>> & { all?: boolean };
    if (!to) throw new UsageError(`--to is missing: the file that is made.\n${USAGE}`);
    if (more.output !== undefined && more.as !== undefined)
      throw new UsageError(`--output names a stored output, --as makes one anew: give one of them.\n${USAGE}`);
    if (all) {
      if (more.output ?? more.as ?? more.size ?? more.rate)
        throw new UsageError(`--all makes what is kept as it is kept: no --output, --as, --size or --rate.\n${USAGE}`);
      const { results, failed } = await publishAll(file(positionals[0]), { sequence: more.sequence, to: file(to) });
      if (failed) process.exitCode = 3;
      return results;
    }
    return publish(file(positionals[0]), { ...more, to: file(to) });
  }
  if (command === "measure") {
    const { values } = read({ only: { type: "string" } });
    // It brings the demo along, which no other command needs.
    const { measure } = await import("./measure/measure");
    return measure((values as { only?: string }).only);
  }
  throw new UsageError(command ? `"${command.slice(0, 40)}" is not a command.\n${USAGE}` : USAGE);
}

try {
  const result = await main(process.argv.slice(2));
  await new Promise<void>((done) => process.stdout.write(`${JSON.stringify(result, null, 1)}\n`, () => done()));
  process.exit(process.exitCode ?? 0);
} catch (error) {
  const expected = isMeant(error) || error instanceof UsageError;
  const missing = (error as NodeJS.ErrnoException).code;
  const text = expected
    ? (error as Error).message
    : missing === "ENOENT"
      ? "The file does not exist."
      : missing === "EISDIR"
        ? "This is a folder, not a file."
        : `Unexpected: ${error instanceof Error ? error.message : String(error)}`;
  process.stderr.write(`${error instanceof UsageError ? text : text.replace(/\s*\n\s*/g, " ")}\n`);
  process.exit(2);
}
