import { measureCurves } from "./curves";
import { measureDamaged } from "./damaged";
import { measureDesk } from "./desk";
import { measureGlb } from "./glb";
import { measureImport } from "./import";
import { measureImportLarge } from "./importLarge";
import { measureLive } from "./live";
import type { Measurement } from "./measurement";
import { measureMutants } from "./mutants";
import { measurePage } from "./page";
import { measureExplode } from "./planning";
import { measurePose } from "./pose";
import { measureContact, measureProof } from "./proof";
import { measureFound } from "./proofFound";
import { measureScene, measureVideo } from "./publishing";
import { measureSaves } from "./saves";
import { measureSignIn } from "./signIn";
import { measureStage } from "./stage";
import { measureEdit, measureTimeline } from "./timeline";
import { measureTorture } from "./torture";

const ALL: Record<string, () => Promise<Measurement[]>> = {
  pose: measurePose,
  import: measureImport,
  stage: measureStage,
  glb: measureGlb,
  explode: measureExplode,
  timeline: measureTimeline,
  curves: measureCurves,
  edit: measureEdit,
  saves: measureSaves,
  proof: measureProof,
  video: measureVideo,
  scene: measureScene,
  page: measurePage,
  "sign-in": measureSignIn,
};

/** Long ones, run only when they are asked for by name. */
const ASKED: Record<string, () => Promise<Measurement[]>> = {
  torture: measureTorture,
  damaged: measureDamaged,
  mutants: measureMutants,
  live: measureLive,
  desk: measureDesk,
  "import-large": measureImportLarge,
  "proof-contact": measureContact,
  "proof-found": measureFound,
};

/** Runs the measurements, or those whose name begins with `only`. @throws RangeError for an unknown name. */
export async function measure(only?: string): Promise<Measurement[]> {
  const known = only ? { ...ALL, ...ASKED } : ALL;
  const begun = Object.keys(known).filter((n) => !only || only.startsWith(n));
  // Of those that one name begins with, it is the one that says most.
  const longest = Math.max(...begun.map((n) => n.length));
  const names = only ? begun.filter((n) => n.length === longest) : begun;
  if (names.length === 0)
    throw new RangeError(`There is no measurement "${only}". There are: ${Object.keys(known).join(", ")}.`);
  const out: Measurement[] = [];
  for (const name of names) out.push(...((await known[name]?.()) ?? []));
  return only ? out.filter((m) => m.name.startsWith(only)) : out;
}
