import { type Assembly, indexAssembly } from "../../core/assembly/assembly";
import { threeQuarterView } from "../../core/camera/camera";
import type { DocumentKind } from "../../core/document/parse";
import { emptyPreparation } from "../../core/document/preparation";
import { newSequence } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { newId } from "../ids";

/**
 * What a project starts with once its assembly is known: an empty preparation and a sequence whose camera sees it
 * all.
 */
export function firstDocuments(assembly: Assembly): { kind: DocumentKind; body: unknown }[] {
  const index = indexAssembly(assembly);
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (const root of index.roots) {
    for (let k = 0; k < 3; k++) {
      min[k] = Math.min(nth(min, k), nth(index.worldBounds, 6 * root + k));
      max[k] = Math.max(nth(max, k), nth(index.worldBounds, 6 * root + 3 + k));
    }
  }
  const camera = threeQuarterView(min, max, 16 / 9, assembly.up);
  return [
    { kind: "preparation", body: emptyPreparation() },
    { kind: "sequence", body: newSequence("Sequence 1", camera, newId()) },
  ];
}
