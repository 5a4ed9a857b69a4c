import { measureExplode } from "./explode";
import { measureGlb } from "./glb";
import { measureImport } from "./import";
import type { Measurement } from "./measurement";
import { measurePose } from "./pose";
import { measureStage } from "./stage";
import { measureEdit, measureTimeline } from "./timeline";

const ALL: Record<string, () => Promise<Measurement[]>> = {
  pose: measurePose,
  import: measureImport,
  stage: measureStage,
  glb: measureGlb,
  explode: measureExplode,
  timeline: measureTimeline,
  edit: measureEdit,
};

/** Runs the measurements, or those whose name begins with `only`. @throws RangeError for an unknown name. */
export async function measure(only?: string): Promise<Measurement[]> {
  const names = Object.keys(ALL).filter((n) => !only || only.startsWith(n));
  if (names.length === 0) throw new RangeError(`There is no measurement "${only}". There are: ${Object.keys(ALL).join(", ")}.`);
  const out: Measurement[] = [];
  for (const name of names) out.push(...((await ALL[name]?.()) ?? []));
  return only ? out.filter((m) => m.name.startsWith(only)) : out;
}
