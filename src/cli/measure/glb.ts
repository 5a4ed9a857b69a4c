import { encodePackage } from "../../core/assembly/package";
import { startKernel } from "../../formats/step/kernel";
import { readStep } from "../../formats/step/solid";
import { inBrowser, repositoryFile } from "./browser";
import type { Measurement } from "./measurement";

type Result = Record<string, { ours: number; bare: number; megabytes: number }>;

/** GLB to first picture with picking ready against GLTFLoader and one render; see bench/glb.page.ts. */
export async function measureGlb(): Promise<Measurement[]> {
  const demo = encodePackage(readStep(await startKernel(), await repositoryFile("demo/rill-h2.step"), "rill-h2.step"));
  const r = await inBrowser<Result>("bench/glb.page.ts", {
    workers: { "/loader.js": "src/workers/loader.ts" },
    files: { "/demo.glb": demo },
    begin: "(window.given = '/demo.glb', window.begin())",
  });
  return Object.entries(r).map(([name, v]) => ({
    name: `glb-${name}`,
    ours: v.ours,
    reference: v.bare,
    ratio: v.ours / v.bare,
    unit: "ms",
    note: `${v.megabytes.toFixed(1)} MB`,
  }));
}
