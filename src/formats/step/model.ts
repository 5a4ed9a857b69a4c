import type { TDF_Label } from "opencascade.js";
import { SOURCE_FORMATS, type SolidFormat } from "../../core/assembly/sourceFormats";
import { ImportError } from "../importError";
import { asImportError } from "../unexpected";
import { type Kernel, kernelMessage } from "./kernel";
import { STEP_DEFAULTS, type StepOptions } from "./options";

/** Where files lie for the kernel: beside one another, since a master names its parts' files. */
const FOLDER = "/in";

/** What read and mesh leave behind; freed with {@link StepModel.free}. Split out so the benchmark can time it bare. */
export interface StepModel {
  kernel: Kernel;
  document: ReturnType<typeof emptyDocument>;
  roots: TDF_Label[];
  free(): void;
}

/** A file that a STEP file names. */
export interface StepPart {
  name: string;
  bytes: Uint8Array;
}

/** A file of surfaces and solids, with those it names beside it. */
export interface SolidSource {
  format: SolidFormat;
  fileName: string;
  bytes: Uint8Array;
  parts: readonly StepPart[];
}

/** What the file is called where a kernel reads it: its own name may hold anything. */
export const INNER_NAME: Readonly<Record<SolidFormat, string>> = {
  step: "in.stp",
  iges: "in.igs",
  brep: "in.brep",
};

/** What the kernel threw, as an error: it throws numbers. */
export const told = (kernel: Kernel, thrown: unknown): Error =>
  thrown instanceof Error ? thrown : new Error(kernelMessage(kernel, thrown));

function emptyDocument(kernel: Kernel) {
  return new kernel.Handle_TDocStd_Document_2(new kernel.TDocStd_Document(new kernel.TCollection_ExtendedString_1()));
}

/** Puts files into the kernel's folder for as long as some work takes. */
function withFiles<T>(kernel: Kernel, files: readonly StepPart[], work: () => T): T {
  const written: string[] = [];
  kernel.FS.mkdir(FOLDER);
  try {
    for (const f of files) {
      kernel.FS.writeFile(`${FOLDER}/${f.name}`, f.bytes);
      written.push(`${FOLDER}/${f.name}`);
    }
    return work();
  } finally {
    for (const name of written) kernel.FS.unlink(name);
    kernel.FS.rmdir(FOLDER);
  }
}

/** The shapes that stand in a document for themselves. @throws ImportError when there are none */
function rootsOf(kernel: Kernel, document: StepModel["document"], format: SolidFormat, free: () => void): StepModel {
  const labels = new kernel.TDF_LabelSequence_1();
  kernel.XCAFDoc_DocumentTool.ShapeTool(document.get().Main()).get().GetFreeShapes(labels);
  if (labels.Length() === 0)
    throw new ImportError(
      "no-geometry",
      `The ${SOURCE_FORMATS[format].name} file holds no shapes. Export the assembly as solids or surfaces and try again.`,
    );
  const roots: TDF_Label[] = [];
  for (let i = 1; i <= labels.Length(); i++) roots.push(labels.Value(i));
  return {
    ...{ kernel, document, roots },
    free: () => {
      labels.delete();
      free();
    },
  };
}

const unreadable = (format: SolidFormat) =>
  new ImportError(
    "unreadable",
    `The ${SOURCE_FORMATS[format].name} file could not be read: ${format === "step" ? "its data section" : "what it holds"} is damaged. Export it again from the CAD system.`,
  );

type Reader = {
  SetColorMode(on: boolean): void;
  SetNameMode(on: boolean): void;
  ReadFile(file: string): unknown;
  /** Readers of one kind of transfer have no number. */
  Transfer?(document: StepModel["document"], progress: unknown): boolean;
  Transfer_1?(document: StepModel["document"], progress: unknown): boolean;
  delete(): void;
};

/** The kernel's bare read: file to XCAF document, names and colours on; not meshed. @throws ImportError */
export function readModel(kernel: Kernel, source: Omit<SolidSource, "fileName">): StepModel {
  const { format, bytes, parts } = source;
  const file = `${FOLDER}/${INNER_NAME[format]}`;
  try {
    return withFiles(kernel, [{ name: INNER_NAME[format], bytes }, ...parts], () => {
      const document = emptyDocument(kernel);
      if (format === "brep") return readShapeFile(kernel, file, document);
      const made = format === "step" ? kernel.STEPCAFControl_Reader_1 : kernel.IGESCAFControl_Reader_1;
      const reader = new made() as unknown as Reader;
      reader.SetColorMode(true);
      reader.SetNameMode(true);
      if (reader.ReadFile(file) !== (kernel.IFSelect_ReturnStatus.IFSelect_RetDone as unknown))
        throw unreadable(format);
      const progress = new kernel.Message_ProgressRange_1();
      if (reader.Transfer) reader.Transfer(document, progress);
      else reader.Transfer_1?.(document, progress);
      progress.delete();
      return rootsOf(kernel, document, format, () => {
        reader.delete();
        document.delete();
      });
    });
  } catch (error) {
    throw asImportError(told(kernel, error), `${format.toUpperCase()}-READ`);
  }
}

/** One shape in the kernel's own form, as the only one of a document. */
function readShapeFile(kernel: Kernel, file: string, document: StepModel["document"]): StepModel {
  const [shape, builder] = [new kernel.TopoDS_Shape(), new kernel.BRep_Builder()];
  const progress = new kernel.Message_ProgressRange_1();
  if (!kernel.BRepTools.Read_2(shape, file, builder, progress) || shape.IsNull()) throw unreadable("brep");
  kernel.XCAFDoc_DocumentTool.ShapeTool(document.get().Main()).get().AddShape(shape, true, true).delete();
  progress.delete();
  return rootsOf(kernel, document, "brep", () => {
    shape.delete();
    builder.delete();
    document.delete();
  });
}

let stored = 0;

/**
 * Opens a document that the kernel has stored (BinXCAF), meshes and all. @throws ImportError
 */
export function openStored(kernel: Kernel, bytes: Uint8Array, format: SolidFormat): StepModel {
  try {
    // What is open under a name is not opened again, even when it is closed.
    const name = `stored-${++stored}.xbf`;
    return withFiles(kernel, [{ name, bytes }], () => {
      const application = new kernel.TDocStd_Application();
      const handle = new kernel.Handle_TDocStd_Application_2(application);
      kernel.BinXCAFDrivers.DefineFormat(handle);
      const document = new kernel.Handle_TDocStd_Document_1();
      const at = new kernel.TCollection_ExtendedString_2(`${FOLDER}/${name}`, true);
      const progress = new kernel.Message_ProgressRange_1();
      const status = application.Open_2(at, document as never, progress);
      progress.delete();
      at.delete();
      if (status !== (kernel.PCDM_ReaderStatus.PCDM_RS_OK as unknown) || document.IsNull()) throw unreadable(format);
      return rootsOf(kernel, document as never, format, () => {
        application.Close(document as never);
        document.delete();
        handle.delete();
      });
    });
  } catch (error) {
    throw asImportError(told(kernel, error), `${format.toUpperCase()}-STORED`);
  }
}

/** The kernel's bare mesh of everything in a model; instances share one mesh. */
export function meshModel(model: StepModel, options: StepOptions = {}, progress?: (share: number) => void): void {
  const { kernel } = model;
  const o = { ...STEP_DEFAULTS, ...options };
  model.roots.forEach((label, i) => {
    const shape = kernel.XCAFDoc_ShapeTool.GetShape_2(label);
    new kernel.BRepMesh_IncrementalMesh_2(
      ...([shape, relativeDeflection(o), true, (o.angleDeg * Math.PI) / 180, false] as const),
    ).delete();
    shape.delete();
    progress?.((i + 1) / model.roots.length);
  });
}

/** Relative deflection as the kernel takes it: small screws and large housings each get facets to their own size. */
export const relativeDeflection = (o: Required<StepOptions>): number => o.deflection * 5;
