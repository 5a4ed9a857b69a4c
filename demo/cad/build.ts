/**
 * Models the demo product and writes both of its revisions, and the workbench of the counted walk-throughs, as STEP (AP214) with nested sub-assemblies, shared parts,
 * names and colours. Run by hand after a change of the model: `npx tsx demo/cad/build.ts`.
 */
import { writeFile } from "node:fs/promises";
import { startKernel } from "../../src/formats/step/kernel";
import { REVISION_A, REVISION_B, rill } from "./rill";
import { solids } from "./solids";
import { workbench } from "./workbench";
import { writeStep } from "./writeStep";

const kernel = await startKernel();
const made = solids(kernel);
const wanted = process.argv.slice(2);
for (const [path, model] of [
  ["demo/rill-h2.step", () => rill(made, REVISION_A)],
  ["demo/rill-h2-rev-b.step", () => rill(made, REVISION_B)],
  ["e2e/workbench.step", () => workbench(made)],
] as const) {
  if (wanted.length > 0 && !wanted.includes(path)) continue;
  try {
    const bytes = writeStep(kernel, model());
    await writeFile(path, bytes);
    console.log(`${path}: ${bytes.length} bytes`);
  } catch (error) {
    const { kernelMessage } = await import("../../src/formats/step/kernel");
    console.error(path, kernelMessage(kernel, error), error instanceof Error ? error.stack?.slice(0, 800) : "");
    process.exitCode = 1;
  }
}
process.exit();
