import type { Assembly } from "../../core/assembly/assembly";
import type { Look } from "../../core/document/looks";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence } from "../../core/document/sequence";
import type { LightSetup } from "../../core/document/surroundings";

/** What a page plays, as it lies in it. */
export interface PageFilm {
  assembly: Assembly;
  preparation: Preparation;
  sequence: Sequence;
  look: Pick<Look, "nodes" | "surroundings">;
  /** Lights that are worn, of which the maps lie beside the film, one after the other. */
  lights: readonly LightSetup[];
  /** The part that is played, ticks. */
  range: { from: number; to: number };
  /** Whether there is a list of parts. */
  parts: boolean;
}
