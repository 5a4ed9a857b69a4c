import type { Preparation } from "../../core/document/preparation";
import type { LightSetup } from "../../core/document/surroundings";
import { keptLight, lightIsKept, takeLight } from "../../core/light/keptLight";
import type { LightWorker } from "../../workers/light";
import { askOnce } from "./workerClient";

const make = () => new Worker(new URL("../../workers/light.ts", import.meta.url), { type: "module" });

/** The set-ups that a preparation's pictures can wear, each once. */
export const lightsOf = ({ surroundings, looks }: Pick<Preparation, "surroundings" | "looks">): LightSetup[] => [
  ...new Set([surroundings.light, ...Object.values(looks).map((l) => l.surroundings.light)]),
];

/** What is on its way, so that two who want the same wait for one. */
const coming = new Map<LightSetup, Promise<void>>();

/** Has maps of light worked out beside the page, unless they are there; where that fails, here. */
export async function lightsReady(
  lights: readonly LightSetup[],
  ask: (lights: readonly LightSetup[]) => Promise<readonly Uint8Array[]> = (l) =>
    askOnce<LightWorker, "maps">(make, "maps", l, {}),
): Promise<void> {
  const missing = lights.filter((l) => !lightIsKept(l) && !coming.has(l));
  if (missing.length > 0) {
    const made = ask(missing)
      .then((maps) => maps.forEach((bytes, i) => void takeLight(missing[i] as LightSetup, bytes)))
      // Rather a moment's wait than another light than was chosen.
      .catch(() => missing.forEach((l) => void keptLight(l)))
      .finally(() => {
        for (const l of missing) coming.delete(l);
      });
    for (const l of missing) coming.set(l, made);
  }
  await Promise.all(lights.map((l) => coming.get(l)));
}
