import { IMPORT_DEFAULTS } from "../../src/core/assembly/importSettings";
import { encodePackage } from "../../src/core/assembly/package";
import type { Preparation } from "../../src/core/document/preparation";
import type { Sequence } from "../../src/core/document/sequence";
import { OpenDesk } from "../../src/desk/desk";
import { MemoryOutbox, type Outbox } from "../../src/desk/documents/outbox";
import type { Desk } from "../../src/desk/port";
import { cubePackage, preparation } from "./assembly";

/** A desk on the small assembly, without a stage; what it saves goes to the fetch that the test puts in place. */
export const smallDesk = (
  sequence: Sequence,
  prepared: Preparation = preparation(),
  revision = 0,
  outbox: Outbox | null = new MemoryOutbox(),
): Desk => {
  const desk = new OpenDesk({
    ...(outbox ? { outbox } : {}),
    projectId: "p",
    projectName: "Small",
    assembly: { number: 1, fileName: "small.step", settings: IMPORT_DEFAULTS, identities: {} },
    bytes: encodePackage(cubePackage()).buffer as ArrayBuffer,
    trees: [],
    documents: [
      { id: "prep", kind: "preparation", revision: 0, body: prepared },
      { id: "seq", kind: "sequence", revision, body: sequence },
    ],
  });
  made().add(desk);
  return desk;
};

/** Desks that nobody has ended: the set-up of the tests does, after each file. */
const made = () => {
  const holder = globalThis as { plextanTestDesks?: Set<OpenDesk> };
  holder.plextanTestDesks ??= new Set();
  return holder.plextanTestDesks;
};
