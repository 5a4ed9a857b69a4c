import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { expect, test } from "vitest";

/** Which folders of src a folder may import from, besides itself. */
const MAY: Record<string, readonly string[]> = {
  core: [],
  formats: ["core"],
  stage: ["core"],
  // The publisher draws frames off the main thread, so workers may use the stage as well.
  workers: ["core", "formats", "player", "stage"],
  server: ["core", "formats"],
  // What draws and sounds for who only looks; also alone, in a page that is handed out.
  player: ["core", "formats", "stage"],
  desk: ["core", "player", "stage", "workers"],
  ui: ["core", "desk", "player", "stage", "workers"],
  app: ["core", "desk", "formats", "server", "stage", "ui", "workers"],
  // What publishes on the command line is the app's own worker, asked as the desk asks it.
  cli: ["core", "desk", "formats", "player", "server", "workers"],
};
/** Of workers, the interface may take types and file names only. */
const SERVER_ONLY = /^(node:|mysql2|next\/headers)/;

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((e) => {
    const p = path.join(folder, e.name);
    return e.isDirectory() ? files(p) : /\.tsx?$/.test(e.name) ? [p] : [];
  });
}

/** Every import of a file, with whether only its types are taken. */
function importsOf(text: string): { from: string; typeOnly: boolean }[] {
  const found: { from: string; typeOnly: boolean }[] = [];
  for (const m of text.matchAll(/(?:^|\n)\s*(?:import|export)\s+(type\s+)?(?:[^"';]*?\sfrom\s+)?"([^"]+)"/g))
    found.push({ from: m[2] as string, typeOnly: m[1] !== undefined });
  for (const m of text.matchAll(/\bimport\(\s*"([^"]+)"\s*\)/g)) found.push({ from: m[1] as string, typeOnly: false });
  return found;
}

test("each part of the program imports only what it may", () => {
  const wrong: string[] = [];
  for (const file of files("src")) {
    const folder = file.split(path.sep)[1] as string;
    const may = MAY[folder];
    if (!may || file.endsWith(".test.ts")) continue;
    for (const { from, typeOnly } of importsOf(readFileSync(file, "utf8"))) {
      if (from.startsWith(".")) {
        const target = path.relative("src", path.resolve(path.dirname(file), from)).split(path.sep)[0] as string;
        const allowed =
          target === folder ||
          (may.includes(target) && (target !== "workers" || typeOnly || !["desk", "ui"].includes(folder)));
        if (!allowed && !target.startsWith("..")) wrong.push(`${file} imports ${from}`);
      } else if (["core", "desk", "player", "stage", "ui"].includes(folder) && SERVER_ONLY.test(from))
        wrong.push(`${file} imports ${from}, which only the server has`);
      else if (["core", "desk", "player", "stage"].includes(folder) && /^(react|next|antd)/.test(from))
        wrong.push(`${file} imports ${from}`);
    }
  }
  expect(wrong).toEqual([]);
});

test("no circle of files knows one another, by types either", () => {
  const all = new Set(files("src").filter((f) => !/\.test\.tsx?$/.test(f)));
  const graph = new Map<string, string[]>();
  const resolve = (base: string) => [`${base}.ts`, `${base}.tsx`].find((p) => all.has(p));
  for (const file of all) {
    const imports = importsOf(readFileSync(file, "utf8")).filter((i) => i.from.startsWith("."));
    graph.set(
      file,
      imports.map((i) => resolve(path.join(path.dirname(file), i.from))).filter((p): p is string => p !== undefined),
    );
  }
  expect(circles(graph)).toEqual([]);
});

test("what is done at the desk changes documents by named commands of the core alone", () => {
  const inline = [...files("src/desk"), ...files("src/ui")]
    .filter((f) => !/\.test\.tsx?$/.test(f))
    .flatMap((f) =>
      readFileSync(f, "utf8")
        .split("\n")
        .flatMap((line, i) => (/\(draft[^)]*\) =>(?! void\b)/.test(line) ? [`${f}:${i + 1} ${line.trim()}`] : [])),
    )
    // The one place where patches that came as data are laid on a document.
    .filter((l) => !l.includes("applyTo(draft, patches)"));
  expect(inline).toEqual([]);
});

/**
 * Circles of a graph, each by its files in order; R. Tarjan, "Depth-first search and linear graph algorithms" (1972).
 */
function circles(graph: ReadonlyMap<string, readonly string[]>): string[] {
  const number = new Map<string, number>();
  const low = new Map<string, number>();
  const stack: string[] = [];
  const out: string[] = [];
  const visit = (v: string) => {
    number.set(v, number.size);
    low.set(v, number.get(v) as number);
    stack.push(v);
    for (const w of graph.get(v) ?? []) {
      if (!number.has(w)) visit(w);
      if (stack.includes(w)) low.set(v, Math.min(low.get(v) as number, low.get(w) as number));
    }
    if (low.get(v) !== number.get(v)) return;
    const found = stack.splice(stack.indexOf(v));
    if (found.length > 1) out.push(found.sort().join(", "));
  };
  for (const v of graph.keys()) if (!number.has(v)) visit(v);
  return out;
}
