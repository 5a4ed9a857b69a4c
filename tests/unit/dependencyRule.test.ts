import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { expect, test } from "vitest";

/** Which folders of src a folder may import from, besides itself. */
const MAY: Record<string, readonly string[]> = {
  core: [],
  formats: ["core"],
  stage: ["core"],
  // The publisher draws frames off the main thread, so workers may use the stage as well.
  workers: ["core", "formats", "stage"],
  server: ["core", "formats"],
  desk: ["core", "stage", "workers"],
  ui: ["core", "desk", "stage", "workers"],
  app: ["core", "desk", "formats", "server", "stage", "ui", "workers"],
  cli: ["core", "formats", "server"],
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
  for (const m of text.matchAll(/(?:^|\n)\s*(?:import|export)\s+(type\s+)?(?:[^"';]*?\sfrom\s+)?"([^"]+)"/g)) found.push({ from: m[2] as string, typeOnly: m[1] !== undefined });
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
        const allowed = target === folder || (may.includes(target) && (target !== "workers" || typeOnly || !["desk", "ui"].includes(folder)));
        if (!allowed && !target.startsWith("..")) wrong.push(`${file} imports ${from}`);
      } else if (["core", "desk", "stage", "ui"].includes(folder) && SERVER_ONLY.test(from)) wrong.push(`${file} imports ${from}, which only the server has`);
      else if (["core", "desk", "stage"].includes(folder) && /^(react|next|antd)/.test(from)) wrong.push(`${file} imports ${from}`);
    }
  }
  expect(wrong).toEqual([]);
});

test("there are no import cycles at run time", () => {
  const graph = new Map<string, string[]>();
  const resolve = (base: string) => [`${base}.ts`, `${base}.tsx`, path.join(base, "index.ts")].find((p) => all.has(p));
  const all = new Set(files("src"));
  for (const file of all) {
    graph.set(
      file,
      importsOf(readFileSync(file, "utf8"))
        .filter((i) => i.from.startsWith(".") && !i.typeOnly)
        .map((i) => resolve(path.join(path.dirname(file), i.from)))
        .filter((p): p is string => p !== undefined),
    );
  }
  const state = new Map<string, "open" | "done">();
  const cycles: string[] = [];
  const visit = (file: string, trail: string[]) => {
    if (state.get(file) === "done") return;
    if (state.get(file) === "open") {
      cycles.push([...trail.slice(trail.indexOf(file)), file].join(" -> "));
      return;
    }
    state.set(file, "open");
    for (const next of graph.get(file) ?? []) visit(next, [...trail, file]);
    state.set(file, "done");
  };
  for (const file of all) visit(file, []);
  expect(cycles).toEqual([]);
});

test("the rule's reader sees every kind of import", () => {
  const text = 'import a from "x";\nimport type { B } from "./y";\nexport { c } from "../z";\nimport "side";\nconst d = await import("late");\nimport {\n  e,\n} from "many";';
  expect(importsOf(text)).toEqual([
    { from: "x", typeOnly: false },
    { from: "./y", typeOnly: true },
    { from: "../z", typeOnly: false },
    { from: "side", typeOnly: false },
    { from: "many", typeOnly: false },
    { from: "late", typeOnly: false },
  ]);
});
