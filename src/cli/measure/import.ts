import { existsSync } from "node:fs";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { encodePackage } from "../../core/assembly/package";
import { startKernel } from "../../formats/step/kernel";
import { extract, meshModel, readModel, readStep } from "../../formats/step/read";
import { type Measurement, median } from "./measurement";

const FILES: [string, string, number][] = [
  ["import-demo", "demo/rill-h2.step", 3],
  ["import-third-party", "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp", 7],
];

/**
 * STEP file to finished package against the kernel's bare read and mesh with the same settings, in the same warm
 * process, runs taken in turn.
 */
export async function measureImport(): Promise<Measurement[]> {
  const kernel = await startKernel();
  const out: Measurement[] = [];
  for (const [name, file, rounds] of FILES) {
    if (!existsSync(file)) continue;
    const bytes = await readFile(file);
    const bare: number[] = [];
    const ours: number[] = [];
    const rest: number[] = [];
    for (let i = 0; i <= rounds; i++) {
      const t0 = performance.now();
      const model = readModel(kernel, bytes);
      meshModel(model);
      const t1 = performance.now();
      // What is ours alone, for the note; not part of the reference.
      extract(model, path.basename(file), "mm");
      const t2 = performance.now();
      model.free();
      const t3 = performance.now();
      encodePackage(readStep(kernel, bytes, path.basename(file)));
      const t4 = performance.now();
      // The first round warms the kernel up.
      if (i === 0) continue;
      bare.push(t1 - t0);
      rest.push(t2 - t1);
      ours.push(t4 - t3);
    }
    const reference = median(bare);
    out.push({
      name,
      ours: median(ours),
      reference,
      ratio: median(ours) / reference,
      unit: "ms",
      note: `tree, names, colours, geometry, face table and edges take ${median(rest).toFixed(0)} ms of it`,
    });
  }
  return out;
}
