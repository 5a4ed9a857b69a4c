/**
 * The files that assemblies come in. A new format is a row here and its reader in `src/formats`; names, limits, what
 * may
 * be chosen and what is asked for when it comes in follow from this.
 */
const FORMATS = {
  step: { name: "STEP", extensions: ["step", "stp", "p21"], unitOpen: false, solid: true },
  iges: { name: "IGES", extensions: ["iges", "igs"], unitOpen: false, solid: true },
  // It says no unit, and is millimetres by custom; another is chosen where it is set how a file is read.
  brep: { name: "BREP", extensions: ["brep", "brp"], unitOpen: false, solid: true },
  gltf: { name: "glTF", extensions: ["gltf"], unitOpen: false, solid: false },
  glb: { name: "GLB", extensions: ["glb"], unitOpen: false, solid: false },
  obj: { name: "OBJ", extensions: ["obj"], unitOpen: true, solid: false },
  "3mf": { name: "3MF", extensions: ["3mf"], unitOpen: false, solid: false },
  stl: { name: "STL", extensions: ["stl"], unitOpen: true, solid: false },
} as const;

export type ModelFormat = keyof typeof FORMATS;
/** Those that a CAD kernel reads and meshes. */
export type SolidFormat = { [F in ModelFormat]: (typeof FORMATS)[F]["solid"] extends true ? F : never }[ModelFormat];

export interface FormatRow {
  /** As it is written. */
  name: string;
  /** Without the dot, lower case. */
  extensions: readonly string[];
  /** The file says neither its unit nor which way is up. */
  unitOpen: boolean;
  /** Surfaces that a CAD kernel has to mesh; else triangles. */
  solid: boolean;
}

/** In the order in which one of them is taken as the main file of a set. */
export const SOURCE_FORMATS: Readonly<Record<ModelFormat, FormatRow>> = FORMATS;
export const MODEL_FORMATS = Object.keys(FORMATS) as [ModelFormat, ...ModelFormat[]];

/** Whether a CAD kernel has to read it. */
export const isSolid = (format: ModelFormat): format is SolidFormat => SOURCE_FORMATS[format].solid;

/** What may lie beside a model. */
const BESIDE = ["mtl", "bin", "png", "jpg", "jpeg", "webp"];

/** The format that a file's name promises; null for any other file. */
export function formatByName(fileName: string): ModelFormat | null {
  const extension = /\.([^.]+)$/.exec(fileName.toLowerCase())?.[1] ?? "";
  return MODEL_FORMATS.find((f) => SOURCE_FORMATS[f].extensions.includes(extension)) ?? null;
}

/** Whether a file may be a model, or a set of files with a model in it. */
export const mayBeModel = (fileName: string): boolean => formatByName(fileName) !== null || /\.zip$/i.test(fileName);

/** What a choice of files offers. */
export const CHOOSABLE = [...MODEL_FORMATS.flatMap((f) => SOURCE_FORMATS[f].extensions), "zip", ...BESIDE]
  .map((e) => `.${e}`)
  .join(",");
