import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { cp, mkdir, readdir, readFile, rm, symlink, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Measurement } from "./measurement";

/*
 * Plants faults, one at a time, and runs the unit tests that have to do with the file; a fault that no test notices
 * survives. The operators are those of R. DeMillo, R. Lipton and F. Sayward, "Hints on test data selection" (1978), as
 * far as they can be told from formatted text: the formatter puts blanks round every operator.
 */

/** Where faults are planted. */
const FOLDERS = ["src/core", "src/formats", "src/desk"] as const;
const SEED = 20_261_128;
const SAMPLE = 300;
/** Tests that take longer than so many ms run in circles because of the fault: they noticed it. */
const MOST_MS = 120_000;
/** Copies of the sources that faults are planted in at the same time. */
const SLOTS = 2;

/** An operator: what is looked for, and what stands there afterwards. */
const OPERATORS: readonly (readonly [name: string, pattern: RegExp, to: string])[] = [
  ["< for <=", / <= /g, " < "],
  ["<= for <", / < /g, " <= "],
  ["> for >=", / >= /g, " > "],
  [">= for >", / > /g, " >= "],
  ["!== for ===", / === /g, " !== "],
  ["=== for !==", / !== /g, " === "],
  ["|| for &&", / && /g, " || "],
  ["&& for ||", / \|\| /g, " && "],
  ["- for +", / \+ /g, " - "],
  ["+ for -", / - /g, " + "],
  ["/ for *", / \* /g, " / "],
  ["* for /", / \/ /g, " * "],
  ["min for max", /Math\.max\(/g, "Math.min("],
  ["max for min", /Math\.min\(/g, "Math.max("],
  ["floor for ceil", /Math\.ceil\(/g, "Math.floor("],
  ["nothing for abs", /Math\.abs\(/g, "("],
  ["true for false", /\bfalse\b/g, "true"],
  ["false for true", /\btrue\b/g, "false"],
  ["always", /\bif \((?!.*\) \{?$)/g, "if (true || "],
  ["never", /\bif \((?=[^()]*\) )/g, "if (false && "],
  ["1 for 0", /(?<=[ ([])0(?=[,;)\]])/g, "1"],
];

/** A fault that can be planted. */
export interface Mutant {
  file: string;
  line: number;
  column: number;
  operator: string;
  before: string;
  after: string;
}

/** All faults that can be planted in a text. Comments, imports and words in quotes are left alone. */
export function mutantsOf(file: string, text: string): Mutant[] {
  const out: Mutant[] = [];
  text.split("\n").forEach((line, i) => {
    const code = line.trim();
    if (
      /^(\/?\*|\/\/|import |export \*|export type|type |interface |@)/.test(code) ||
      /\bthrow new\b|\.describe\(|z\.|^readonly |^[a-zA-Z]+\??: [a-zA-Z<>[\]" |]+;$/.test(code)
    )
      return;
    for (const [operator, pattern, to] of OPERATORS) {
      for (const m of line.matchAll(pattern)) {
        if (quoted(line, m.index)) continue;
        out.push({
          file,
          line: i + 1,
          column: m.index + 1,
          operator,
          before: line,
          after: line.slice(0, m.index) + to + line.slice(m.index + m[0].length),
        });
      }
    }
  });
  return out;
}

/** Whether a place of a line lies in quotes or behind a comment sign. */
function quoted(line: string, at: number): boolean {
  const before = line.slice(0, at);
  if (/(^|\s)\/\/ /.test(before)) return true;
  for (const mark of ['"', "'", "`", "/"]) {
    const n = before.split(mark).length - 1;
    if (mark === "/" ? /\/[^/ ]+$/.test(before) && n % 2 === 1 : n % 2 === 1) return true;
  }
  return false;
}

/**
 * Draws `count` faults, the same ones for the same seed. A fault is drawn by what it is, not by where it stands in the
 * list: an edit elsewhere leaves the others of the sample as they were, so that two runs can be compared.
 */
export function sampleOf(list: readonly Mutant[], count: number, seed: number): Mutant[] {
  const seen = new Map<string, number>();
  const ranked = list.map((m) => {
    const what = `${seed}\n${nameOf(m)}`;
    const nth = (seen.get(what) ?? 0) + 1;
    seen.set(what, nth);
    return { m, rank: createHash("sha256").update(`${what}\n${nth}`).digest("hex") };
  });
  ranked.sort((a, b) => (a.rank < b.rank ? -1 : 1));
  return ranked.slice(0, count).map((r) => r.m);
}

/** A fault by what it is: the same wherever its line is moved to within the file. */
function nameOf(m: Mutant): string {
  return [m.file, m.operator, m.before.trim(), m.after.trim()].join("\n");
}

async function survivorsOf(all: readonly Mutant[]): Promise<Mutant[]> {
  const names = new Set<string>(JSON.parse(await readFile(SURVIVED, "utf8")));
  return all.filter((m) => names.delete(nameOf(m)));
}

async function sources(folder: string): Promise<string[]> {
  const found = await readdir(folder, { recursive: true, withFileTypes: true });
  return found
    .filter((e) => e.isFile() && e.name.endsWith(".ts") && !e.name.endsWith(".test.ts"))
    .map((e) => path.join(e.parentPath, e.name))
    .sort();
}

/** Runs tests; true when they noticed something. */
function noticed(slot: string, args: readonly string[]): Promise<boolean> {
  return new Promise((resolve) => {
    const child = spawn(
      process.execPath,
      [
        path.resolve("node_modules/vitest/vitest.mjs"),
        ...args,
        "--project",
        "unit",
        "--bail",
        "1",
        "--reporter",
        "dot",
      ],
      {
        cwd: slot,
        stdio: "ignore",
        detached: true,
        env: { ...process.env, CI: "1" },
      },
    );
    const slow = setTimeout(() => {
      try {
        if (child.pid) process.kill(-child.pid, "SIGKILL");
      } catch {}
    }, MOST_MS);
    child.on("exit", (code) => {
      clearTimeout(slow);
      resolve(code !== 0);
    });
  });
}

async function kills(slot: string, m: Mutant): Promise<boolean> {
  const file = path.join(slot, m.file);
  const text = await readFile(file, "utf8");
  const lines = text.split("\n");
  lines[m.line - 1] = m.after;
  await writeFile(file, lines.join("\n"));
  try {
    // Those beside the file know it best; only when they are content the rest is asked.
    if (await noticed(slot, ["run", "--passWithNoTests", path.dirname(m.file)])) return true;
    return await noticed(slot, ["related", "--run", "--passWithNoTests", m.file]);
  } finally {
    await writeFile(file, text);
  }
}

/** Where a run writes what survived, so that these alone can be tried again after tests were written. */
const SURVIVED = "var/mutants-survived.json";

/**
 * Plants a sample of faults and says which survive. `PLEXTAN_MUTANTS` is how many, 300 by default; with
 * `PLEXTAN_AGAIN` only those are planted that survived the last run and still can be.
 */
export async function measureMutants(): Promise<Measurement[]> {
  const count = Number(process.env.PLEXTAN_MUTANTS ?? SAMPLE);
  const seed = Number(process.env.PLEXTAN_SEED ?? SEED);
  const files = (await Promise.all(FOLDERS.map(sources))).flat();
  const all = (await Promise.all(files.map(async (f) => mutantsOf(f, await readFile(f, "utf8"))))).flat();
  const chosen = process.env.PLEXTAN_AGAIN ? await survivorsOf(all) : sampleOf(all, count, seed);
  const planted = chosen.length;
  const base = "var/mutants";
  await rm(base, { recursive: true, force: true });
  const slots = await Promise.all(
    Array.from({ length: SLOTS }, async (_, i) => {
      const slot = path.join(base, String(i));
      await mkdir(slot, { recursive: true });
      for (const name of [
        "src",
        "tests",
        "demo",
        "docs",
        "e2e",
        "bench",
        "package.json",
        "tsconfig.json",
        "vitest.config.ts",
      ])
        await cp(name, path.join(slot, name), { recursive: true });
      await symlink(path.resolve("node_modules"), path.join(slot, "node_modules"));
      return slot;
    }),
  );
  const survivors: Mutant[] = [];
  let done = 0;
  const began = performance.now();
  await Promise.all(
    slots.map(async (slot) => {
      for (let m = chosen.pop(); m; m = chosen.pop()) {
        const killed = await kills(slot, m);
        done++;
        if (!killed) survivors.push(m);
        await writeFile(SURVIVED, JSON.stringify([...survivors, ...chosen].map(nameOf)));
        const left = ((performance.now() - began) / done) * (planted - done);
        process.stderr.write(
          `${done}/${planted} (${Math.round(left / 60_000)} min left) ${killed ? "noticed " : "SURVIVED"} ${m.file}:${m.line}:${m.column} ${m.operator}${killed ? "" : `\n    ${m.after.trim()}`}\n`,
        );
      }
    }),
  );
  await rm(base, { recursive: true, force: true });
  const list = survivors.map((m) => `${m.file}:${m.line}:${m.column} ${m.operator}`).sort();
  return [
    {
      name: "mutants",
      ours: survivors.length,
      reference: done,
      ratio: survivors.length / Math.max(1, done),
      unit: "faults that no test noticed",
      note: `${all.length} could be planted in ${files.length} files; seed ${seed}. Survived: ${list.join("; ") || "none"}`,
    },
  ];
}
