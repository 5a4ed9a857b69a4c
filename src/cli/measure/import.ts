import { existsSync } from "node:fs";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { encodePackage } from "../../core/assembly/package";
import { startKernel } from "../../formats/step/kernel";
import { meshModel, readModel } from "../../formats/step/model";
import { readSolid } from "../../formats/step/solid";
import { findNative, nativeReader } from "../../server/kernel/native";
import { type Measurement, median } from "./measurement";

const FILES: [string, string, number][] = [
  ["import-demo", "demo/rill-h2.step", 3],
  ["import-third-party", "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp", 7],
];

/** So long a process takes to stand by. */
const STANDING_MS = 1000;

/**
 * STEP file to finished package, as it comes in, against the bare read and mesh of the kernel inside with the same
 * settings, in the same warm process, runs taken in turn. And the same without the system's kernel.
 */
export async function measureImport(): Promise<Measurement[]> {
  const kernel = await startKernel();
  const native = nativeReader(findNative());
  const out: Measurement[] = [];
  for (const [name, file, rounds] of FILES) {
    if (!existsSync(file)) continue;
    const bytes = await readFile(file);
    const source = { format: "step" as const, fileName: path.basename(file), bytes, parts: [] };
    const ways = {
      bare: async () => {
        const model = readModel(kernel, source);
        meshModel(model);
        return () => model.free();
      },
      native: async () => void encodePackage(await readSolid({ start: startKernel, native }, source)),
      inside: async () => void encodePackage(await readSolid({ start: startKernel }, source)),
    };
    const times = { bare: [] as number[], native: [] as number[], inside: [] as number[] };
    for (let i = 0; i <= rounds; i++)
      for (const way of Object.keys(ways) as (keyof typeof ways)[]) {
        // As a reader has it: the next process of the system's kernel stands by, as the one inside stands by started.
        native?.warm();
        await new Promise((r) => setTimeout(r, STANDING_MS));
        const began = performance.now();
        const after = await ways[way]();
        // The first round warms the kernel up.
        if (i > 0) times[way].push(performance.now() - began);
        after?.();
      }
    const reference = median(times.bare);
    for (const way of ["native", "inside"] as const) {
      if (way === "native" && !native) continue;
      out.push({
        name: way === "native" ? name : `${name}-inside`,
        ...{ ours: median(times[way]), reference, ratio: median(times[way]) / reference, unit: "ms" },
        note:
          way === "native"
            ? "by the system's kernel, a process for each file that stands by started; the kernel inside opens what it stored"
            : "by the kernel inside, as where the system has none",
      });
    }
  }
  return out;
}
