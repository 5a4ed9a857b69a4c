import { damagedEntries, declaredByProduct, declaredIn, placementsIn, stepText } from "./declared";
import type { ShapeCounts } from "./shape";

/** Parts named in one warning. */
const NAMED_MAX = 12;

/** What a file (or a set of files) says of itself. */
export interface Declarations {
  faces: number;
  placements: number;
  /** Entries that are not written as entries are. */
  damaged: { count: number; first: string };
}

/** Reads it from the files' text: three times over all of it, which is better done while a kernel reads. */
export function declarationsOf(files: readonly Uint8Array[]): Declarations {
  const out: Declarations = { faces: 0, placements: 0, damaged: { count: 0, first: "" } };
  for (const file of files) {
    const text = stepText(file);
    out.faces += declaredIn(text).faces;
    out.placements += placementsIn(text);
    const { count, first } = damagedEntries(text);
    out.damaged = { count: out.damaged.count + count, first: out.damaged.first || first };
  }
  return out;
}

/**
 * Compares what a file (or a set of files) declares with what came in, and says what is missing, part by part. Nothing
 * is said of a file that came in whole.
 */
export function lossWarnings(
  read: readonly (ShapeCounts & { name: string })[],
  placed: number,
  files: readonly Uint8Array[],
  declared: Declarations = declarationsOf(files),
): string[] {
  const out: string[] = [];
  const undrawn = read.filter((p) => p.lost > 0);
  if (undrawn.length > 0)
    out.push(
      `Faces that could not be drawn: ${listed(undrawn.map((p) => `${p.name || "a part"} (${p.lost} of ${p.faces})`))}. Look at these parts before you use them.`,
    );
  const came = read.reduce((n, p) => n + p.faces, 0);
  if (declared.faces > came) out.push(missing(read, files.map(stepText), declared.faces - came));
  const { count, first } = declared.damaged;
  if (count > 0)
    out.push(
      `${count} ${count === 1 ? "entry" : "entries"} of the file ${count === 1 ? "is" : "are"} damaged (the first is ${first}), and parts may be missing. Export it again, or compare with the original.`,
    );
  const { placements } = declared;
  if (placements > placed)
    out.push(
      `${placements - placed} of ${placements} placements of parts that the file declares ${placements - placed === 1 ? "is" : "are"} damaged and did not come in. Export it again, or compare the tree with the original.`,
    );
  const open = read.filter((p) => p.openShells > 0);
  if (open.length > 0)
    out.push(`Not closed to a solid: ${listed(open.map((p) => p.name || "a part"))}. They may look hollow.`);
  return out;
}

/** Faces that the file declares and the kernel did not take over, by product where the names tell. */
function missing(read: readonly (ShapeCounts & { name: string })[], texts: readonly string[], total: number): string {
  const came = new Map<string, number>();
  for (const p of read) came.set(p.name, (came.get(p.name) ?? 0) + p.faces);
  const parts: string[] = [];
  let placed = 0;
  for (const text of texts)
    for (const [name, faces] of declaredByProduct(text)) {
      const short = faces - (came.get(name) ?? 0);
      if (short <= 0 || (came.get(name) === undefined && read.length === 0)) continue;
      parts.push(`${name} (${short} of ${faces})`);
      placed += short;
    }
  const where = parts.length > 0 && placed <= total ? `: ${listed(parts)}` : "";
  return `${total} face${total === 1 ? "" : "s"} that the file declares ${total === 1 ? "is" : "are"} damaged and did not come in${where}. Export it again, or look closely at what is there.`;
}

const listed = (names: readonly string[]) =>
  names.slice(0, NAMED_MAX).join(", ") + (names.length > NAMED_MAX ? ` and ${names.length - NAMED_MAX} more` : "");
