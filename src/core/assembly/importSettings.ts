import { z } from "zod";

export const MESH_QUALITIES = ["coarse", "normal", "fine"] as const;
export type MeshQuality = (typeof MESH_QUALITIES)[number];

/** Units a file may be taken to be written in, with their length in mm. */
export const SOURCE_UNITS = { mm: 1, cm: 10, m: 1000, in: 25.4, ft: 304.8 } as const;
export type SourceUnit = keyof typeof SOURCE_UNITS;

/** How a file is read; null leaves it to the file. */
export const ImportSettingsSchema = z.object({
  /** Fineness of the mesh made from B-rep faces. */
  quality: z.enum(MESH_QUALITIES).default("normal"),
  unit: z.enum(["mm", "cm", "m", "in", "ft"]).nullable().default(null),
  up: z.enum(["y", "z"]).nullable().default(null),
});
export type ImportSettings = z.infer<typeof ImportSettingsSchema>;

export const IMPORT_DEFAULTS: ImportSettings = { quality: "normal", unit: null, up: null };

/** One word for the settings, as part of a cache key. */
export function settingsKey(s: ImportSettings): string {
  return `${s.quality}${s.unit ? ` ${s.unit}` : ""}${s.up ? ` up-${s.up}` : ""}`;
}

export const UNIT_NAMES: Readonly<Record<SourceUnit, string>> = {
  mm: "millimetres",
  cm: "centimetres",
  m: "metres",
  in: "inches",
  ft: "feet",
};
export const QUALITY_NAMES: Readonly<Record<MeshQuality, string>> = {
  coarse: "Coarse",
  normal: "Normal",
  fine: "Fine",
};

/** Settings as the query of an upload. */
export function settingsQuery(s: ImportSettings): string {
  return `quality=${s.quality}${s.unit ? `&unit=${s.unit}` : ""}${s.up ? `&up=${s.up}` : ""}`;
}
