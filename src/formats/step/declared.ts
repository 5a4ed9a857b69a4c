/** What a STEP file itself says it holds, read from its text apart from the kernel: the measure of what came in. */
export interface Declared {
  faces: number;
  shells: number;
  openShells: number;
  solids: number;
}

const ENTITY = (names: string) => new RegExp(`#(\\d+)\\s*=\\s*(?:${names})\\s*\\(`, "g");
const REFERENCE = /#(\d+)/g;

/** The text of a file for looking through: latin1, so that every byte is a letter. Comments and texts stay in. */
export const stepText = (bytes: Uint8Array) => new TextDecoder("latin1").decode(bytes);

/** Where an entity's parameters end: at the semicolon outside texts. */
function endOf(text: string, from: number): number {
  let quoted = false;
  for (let i = from; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c === 39) quoted = !quoted;
    else if (c === 59 && !quoted) return i;
  }
  return text.length;
}

/** Calls with number and parameters of every entity of some types. */
function each(text: string, names: string, take: (id: number, parameters: string) => void): void {
  const pattern = ENTITY(names);
  for (let m = pattern.exec(text); m; m = pattern.exec(text)) {
    const end = endOf(text, pattern.lastIndex);
    take(Number(m[1]), text.slice(pattern.lastIndex, end));
    pattern.lastIndex = end;
  }
}

/** What an entity refers to; texts may hold what looks like a reference. */
const references = (parameters: string) =>
  [...parameters.replace(/'(?:[^']|'')*'/g, "").matchAll(REFERENCE)].map((m) => Number(m[1]));

/** Faces by shell, as their lists say. */
function shellsOf(text: string): { faces: Map<number, number[]>; open: number } {
  const faces = new Map<number, number[]>();
  let open = 0;
  each(text, "CLOSED_SHELL|OPEN_SHELL|CONNECTED_FACE_SET", (id, p) => faces.set(id, references(p)));
  each(text, "OPEN_SHELL", () => open++);
  return { faces, open };
}

/** Counts what a file declares. */
export function declaredIn(text: string): Declared {
  const { faces, open } = shellsOf(text);
  let solids = 0;
  each(text, "MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS|FACETED_BREP", () => solids++);
  return { faces: new Set([...faces.values()].flat()).size, shells: faces.size, openShells: open, solids };
}

/**
 * Faces that each product of a file declares, by the product's name: representation by representation, from its solids
 * and surface models through their shells. Products of one name are added up.
 */
export function declaredByProduct(text: string): Map<string, number> {
  const { faces } = shellsOf(text);
  const holders = new Map<number, number[]>();
  each(
    text,
    "MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS|FACETED_BREP|SHELL_BASED_SURFACE_MODEL|FACE_BASED_SURFACE_MODEL|ORIENTED_CLOSED_SHELL",
    (id, p) => holders.set(id, references(p)),
  );
  const under = (id: number, seen: Set<number>, depth = 0): void => {
    for (const f of faces.get(id) ?? []) seen.add(f);
    if (depth < 8) for (const next of holders.get(id) ?? []) under(next, seen, depth + 1);
  };
  const items = new Map<number, number[]>();
  each(text, "[A-Z_]*SHAPE_REPRESENTATION", (id, p) => items.set(id, references(p)));
  const joined = new Map<number, number[]>();
  each(text, "SHAPE_REPRESENTATION_RELATIONSHIP", (_, p) => {
    const [a, b] = references(p);
    if (a === undefined || b === undefined) return;
    joined.set(a, [...(joined.get(a) ?? []), b]);
    joined.set(b, [...(joined.get(b) ?? []), a]);
  });
  const single = (names: string, which: number) => {
    const out = new Map<number, number>();
    each(text, names, (id, p) => {
      const found = references(p)[which];
      if (found !== undefined) out.set(id, found);
    });
    return out;
  };
  const definitionOf = single("PRODUCT_DEFINITION_SHAPE", 0);
  const formationOf = single("PRODUCT_DEFINITION|PRODUCT_DEFINITION_WITH_ASSOCIATED_DOCUMENTS", 0);
  const productOf = single("PRODUCT_DEFINITION_FORMATION|PRODUCT_DEFINITION_FORMATION_WITH_SPECIFIED_SOURCE", 0);
  const nameOf = new Map<number, string>();
  each(text, "PRODUCT", (id, p) => {
    const texts = [...p.matchAll(/'((?:[^']|'')*)'/g)].map((m) => (m[1] as string).replaceAll("''", "'"));
    nameOf.set(id, texts[1] || texts[0] || "");
  });
  const out = new Map<string, number>();
  each(text, "SHAPE_DEFINITION_REPRESENTATION", (_, p) => {
    const [shape, representation] = references(p);
    const name = nameOf.get(productOf.get(formationOf.get(definitionOf.get(shape ?? -1) ?? -1) ?? -1) ?? -1);
    if (name === undefined || representation === undefined) return;
    const seen = new Set<number>();
    for (const r of [representation, ...(joined.get(representation) ?? [])])
      for (const item of items.get(r) ?? []) under(item, seen);
    if (seen.size > 0) out.set(name, (out.get(name) ?? 0) + seen.size);
  });
  return out;
}

/** How many parts and sub-assemblies a file places in others. */
export function placementsIn(text: string): number {
  let n = 0;
  each(text, "NEXT_ASSEMBLY_USAGE_OCCURRENCE", () => n++);
  return n;
}

/**
 * How many occurrences the tree of a file will have, counted from what it says of its products alone: the kernel itself
 * would build a tree that doubles at every level. Infinity where a product contains itself.
 */
export function occurrencesIn(text: string): { count: number; depth: number } {
  const uses = new Map<number, number[]>();
  const used = new Set<number>();
  each(text, "NEXT_ASSEMBLY_USAGE_OCCURRENCE", (_, p) => {
    const [owner, part] = references(p);
    if (owner === undefined || part === undefined) return;
    uses.set(owner, [...(uses.get(owner) ?? []), part]);
    used.add(part);
  });
  const known = new Map<number, { count: number; depth: number }>();
  const open = new Set<number>();
  // By hand and not by recursion: a chain may be as long as the file.
  const measure = (root: number) => {
    const stack = [root];
    while (stack.length > 0) {
      const at = stack.at(-1) as number;
      const parts = uses.get(at) ?? [];
      if (!open.has(at) && !known.has(at)) {
        open.add(at);
        for (const p of parts) if (!known.has(p)) stack.push(p);
        continue;
      }
      stack.pop();
      if (known.has(at)) continue;
      open.delete(at);
      let count = 1;
      let depth = 0;
      for (const p of parts) {
        // Still open: it lies above itself.
        const below = known.get(p) ?? { count: Number.POSITIVE_INFINITY, depth: Number.POSITIVE_INFINITY };
        count += below.count;
        depth = Math.max(depth, below.depth + 1);
      }
      known.set(at, { count, depth });
    }
    return known.get(root) as { count: number; depth: number };
  };
  const roots = [...uses.keys()].filter((id) => !used.has(id));
  const all = (roots.length > 0 ? roots : [...uses.keys()].slice(0, 1)).map(measure);
  return { count: all.reduce((n, r) => n + r.count, 0), depth: Math.max(0, ...all.map((r) => r.depth)) };
}

/**
 * Names of other STEP files whose shapes belong into this one, as it writes them (DOCUMENT_FILE and
 * APPLIED_EXTERNAL_IDENTIFICATION_ASSIGNMENT of the AP203 and AP214 practice for external references).
 */
export function filesNamedIn(text: string): string[] {
  const found = new Set<string>();
  each(text, "DOCUMENT_FILE|APPLIED_EXTERNAL_IDENTIFICATION_ASSIGNMENT|EXTERNALLY_DEFINED_ITEM", (_, p) => {
    for (const m of p.matchAll(/'((?:[^']|'')*\.(?:stp|step|p21))'/gi))
      found.add((m[1] as string).split(/[/\\]/).pop() as string);
  });
  return [...found];
}

const isSpace = (c: number) => c === 32 || c === 10 || c === 13 || c === 9;

/**
 * Entries of the data section that are not written as entries are (ISO 10303-21): "#n = ...;", brackets that close,
 * texts that stand between commas and brackets. The kernel passes over what it cannot read; this says how much that is.
 */
export function damagedEntries(text: string): { count: number; first: string } {
  const from = text.indexOf("DATA");
  const out = { count: 0, first: "" };
  if (from < 0) return out;
  let at = text.indexOf(";", from) + 1;
  while (at > 0 && at < text.length) {
    while (at < text.length && isSpace(text.charCodeAt(at))) at++;
    if (text.startsWith("/*", at)) {
      at = text.indexOf("*/", at) + 2;
      if (at < 2) break;
      continue;
    }
    if (text.startsWith("ENDSEC", at) || at >= text.length) break;
    const begin = at;
    let depth = 0;
    let before = 0;
    let good = text.charCodeAt(at) === 35;
    for (; at < text.length; at++) {
      const c = text.charCodeAt(at);
      if (isSpace(c)) continue;
      if (c === 47 && text.charCodeAt(at + 1) === 42) {
        const end = text.indexOf("*/", at + 2);
        at = end < 0 ? text.length : end + 1;
        continue;
      }
      if (c === 39) {
        if (before !== 44 && before !== 40) good = false;
        at = text.indexOf("'", at + 1);
        // A doubled quote is one inside the text.
        while (at > 0 && text.charCodeAt(at + 1) === 39) at = text.indexOf("'", at + 2);
        if (at < 0) at = text.length;
        before = 39;
        continue;
      }
      if (c === 59) break;
      if (before === 39 && c !== 44 && c !== 41) good = false;
      if (c === 40) depth++;
      else if (c === 41 && --depth < 0) good = false;
      before = c;
    }
    if (!good || depth !== 0 || !/^#\d+\s*=\s*[(A-Z!_]/i.test(text.slice(begin, begin + 80))) {
      out.count++;
      out.first ||= /^#\d+/.exec(text.slice(begin, begin + 20))?.[0] ?? "an entry without a number";
    }
    at++;
  }
  return out;
}
