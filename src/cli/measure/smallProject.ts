import { IMPORT_DEFAULTS } from "../../core/assembly/importSettings";
import { encodePackage } from "../../core/assembly/package";
import { threeQuarterView } from "../../core/camera/camera";
import { emptyPreparation } from "../../core/document/preparation";
import { newSequence, newStep } from "../../core/document/sequence";
import { writeProjectFile } from "../../formats/out/project/file";
import { readPlainMesh } from "../../formats/readMesh";

const CUBE = [
  ...[0, 1, 2, 3, 4, 5, 6, 7].map((i) => `v ${i & 1} ${(i >> 1) & 1} ${i >> 2}`),
  ...["1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6"].map((f) => `f ${f}`),
  "",
].join("\n");

/** A project of one cube with some steps, and moves in the first of them, as a project file: something to store, load and edit. */
export function smallProject(steps: number, name = "Small", moves = 0): Uint8Array {
  const source = new TextEncoder().encode(CUBE);
  const pkg = readPlainMesh({ name: "cube.obj", bytes: source, beside: new Map() }, "obj", IMPORT_DEFAULTS);
  if (!pkg) throw new Error("An OBJ file is a plain mesh.");
  const sequence = newSequence("Sequence 1", threeQuarterView([0, 0, 0], [1, 1, 1], 16 / 9, "z"), "s0");
  for (let i = 1; i < steps; i++) {
    sequence.steps[`s${i}`] = newStep(`s${i}`, `Step ${i}`);
    sequence.stepOrder.push(`s${i}`);
  }
  const first = sequence.steps.s0;
  for (let n = 1; first && n <= moves; n++) {
    const id = `m${String(n).padStart(4, "0")}`;
    first.moves[id] = {
      ...{
        id,
        kind: "hand",
        name: `Move ${String(n).padStart(3, "0")}`,
        on: true,
        folder: null,
        colour: null,
        note: "",
      },
      ...{ target: { type: "node", key: `cube-${n}` }, keys: {} },
    };
  }
  return writeProjectFile({
    name,
    source: { name: "cube.obj", bytes: source },
    package: encodePackage(pkg),
    settings: IMPORT_DEFAULTS,
    identities: {},
    documents: [
      { kind: "preparation", body: emptyPreparation() },
      { kind: "sequence", body: sequence },
    ],
  });
}
