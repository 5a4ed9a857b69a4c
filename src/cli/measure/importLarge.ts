import { readFileSync } from "node:fs";
import { readFile, rm } from "node:fs/promises";
import { IMPORT_DEFAULTS } from "../../core/assembly/importSettings";
import { nth } from "../../core/math/packed";
import { openSpool } from "../../server/files/spool";
import { KernelPool } from "../../server/kernel/pool";
import { solidsOf, writeLargeStep } from "./largeStep";
import type { Measurement } from "./measurement";

/** Occurrences of parts; each part is there twice. */
const SIZES = [500, 2000, 5000];

/** Reader processes and what they start, with the most memory that each has had, MB. */
function peaks(): Map<number, number> {
  const out = new Map<number, number>();
  const status = (pid: number) => {
    try {
      return Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1024;
    } catch {
      return 0;
    }
  };
  const below = (pid: number) => {
    try {
      const children = readFileSync(`/proc/${pid}/task/${pid}/children`, "utf8").trim().split(" ").filter(Boolean);
      for (const child of children.map(Number)) {
        out.set(child, status(child));
        below(child);
      }
    } catch {
      // It has ended meanwhile.
    }
  };
  below(process.pid);
  return out;
}

/**
 * Made-up STEP assemblies of several sizes, with nesting and instances, from file to finished package by a reader
 * process as in the app. The ratio is the exponent with which the time grows with the number of occurrences (least
 * squares).
 */
export async function measureImportLarge(): Promise<Measurement[]> {
  const solids = solidsOf(await readFile("demo/rill-h2.step", "latin1"));
  const pool = new KernelPool({ processes: 1, light: 0 });
  const spool = await openSpool();
  const times: number[] = [];
  const notes: string[] = [];
  try {
    for (const n of SIZES) {
      const path = spool.path("large.step");
      const bytes = await writeLargeStep(path, solids, n);
      while (!pool.ready) await new Promise((r) => setTimeout(r, 100));
      const most = new Map<number, number>();
      const watch = setInterval(() => {
        for (const [pid, mb] of peaks()) most.set(pid, Math.max(mb, most.get(pid) ?? 0));
      }, 200);
      const began = performance.now();
      const request = { path, fileName: "large.step", settings: IMPORT_DEFAULTS, out: spool.path("large.glb") };
      const { assembly } = await pool.run("source", request);
      times.push((performance.now() - began) / 1000);
      clearInterval(watch);
      const parts = assembly.nodes.filter((node) => node.kind === "part").length;
      const memory = [...most.values()].sort((a, b) => b - a).slice(0, 2);
      notes.push(
        `${parts} parts, ${(bytes / 1048576).toFixed(1)} MB: ${times.at(-1)?.toFixed(1)} s, ${memory.map((m) => Math.round(m)).join(" + ")} MB at the most`,
      );
      await rm(path);
    }
  } finally {
    pool.close();
    await spool.clear();
  }
  const [x, y] = [SIZES.map(Math.log), times.map(Math.log)];
  const mean = (v: number[]) => v.reduce((a, b) => a + b, 0) / v.length;
  const [mx, my] = [mean(x), mean(y)];
  const exponent = x.reduce((s, v, i) => s + (v - mx) * (nth(y, i) - my), 0) / x.reduce((s, v) => s + (v - mx) ** 2, 0);
  return [
    {
      ...{ name: "import-large", ours: exponent, reference: 1, ratio: exponent, unit: "exponent of growth" },
      note: notes.join("; "),
    },
  ];
}
