import { IMPORT_DEFAULTS } from "../../src/core/assembly/importSettings";
import { encodePackage } from "../../src/core/assembly/package";
import { emptyPreparation } from "../../src/core/document/preparation";
import { writeProjectFile } from "../../src/formats/project/file";
import { cubePackage, key, sequenceOf } from "./assembly";

/** A small project file: a made-up assembly with one keyed arrival. */
export function smallProjectFile(name = "Small"): Uint8Array {
  return writeProjectFile({
    name,
    source: { name: "small.step", bytes: new TextEncoder().encode("ISO-10303-21;") },
    package: encodePackage(cubePackage()),
    settings: IMPORT_DEFAULTS,
    identities: {},
    documents: [
      { kind: "preparation", body: emptyPreparation() },
      { kind: "sequence", body: sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]) },
    ],
  });
}
