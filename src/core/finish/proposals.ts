import { cadFinish } from "../assembly/cadFinish";
import { codeOf, lchOf } from "../color/oklab";
import { FINISH_LIBRARY, type Finish } from "../document/surroundings";

/** What a part is by its name, and what it then usually wears. The first that fits is taken. */
const KINDS: readonly { id: string; title: string; words: RegExp; finish: string }[] = [
  {
    id: "fasteners",
    title: "Fasteners",
    words:
      /\b(cap ?screws?|screws?|bolts?|nuts?|washers?|rivets?|studs?|dowels?|circlips?|standoffs?|retaining rings?|(split|cotter|roll|spring) pins?)\b/,
    finish: "zinc",
  },
  { id: "springs", title: "Springs", words: /\bsprings?\b(?! seat)/, finish: "steel-polished" },
  {
    id: "seals",
    title: "Seals and rubber",
    words:
      /\b(seals?|o-?rings?|gaskets?|grommets?|bellows|diaphragms?|membranes?|packings?|tyres?|rubber|buffers?|feet|foot)\b/,
    finish: "rubber-black",
  },
  {
    id: "glass",
    title: "Glass",
    words: /\b(glass|windows?|lens(es)?|sight|transparent|clear|prisms?)\b/,
    finish: "glass-clear",
  },
  {
    id: "brass",
    title: "Bushes and fittings",
    words: /\b(bush(es|ings?)?|fittings?|nozzles?|nipples?|ferrules?|brass)\b/,
    finish: "brass",
  },
  {
    id: "gears",
    title: "Gears, shafts and bearings",
    words:
      /\b(gears?|pinions?|racks?|sprockets?|bearings?|shafts?|axles?|spindles?|cranks?|rods?|pistons?|plungers?|pins?|cams?|levers?|hinges?)\b/,
    finish: "steel-brushed",
  },
  {
    id: "grips",
    title: "Grips and hoses",
    words: /\b(grips?|handles?|knobs?|hoses?|cables?|wires?|buttons?)\b/,
    finish: "plastic-black",
  },
  {
    id: "plates",
    title: "Sheet metal and brackets",
    words: /\b(brackets?|plates?|sheets?|profiles?|rails?|clamps?|heat ?sinks?)\b/,
    finish: "aluminium",
  },
];

/** The title of what is left: housings and the like keep their CAD colour, calmed. */
const REST = { id: "rest", title: "Housings and the rest: CAD colours, calmed" };

/** What is known of a part that may be given a finish. */
export interface Bare {
  key: string;
  /** Its own name, then its owners', the nearest first. */
  names: readonly string[];
  /** Linear RGBA of CAD, or null. */
  color: readonly [number, number, number, number] | null;
}

export interface Proposed {
  key: string;
  kind: string;
  title: string;
  finish: Finish;
}

/** Names that say nothing of a part by themselves: "Part 12", "Solid", "Body_3". */
const NAMELESS = /^(part|solid|body|shape|component|mesh|object|unnamed)?[\s_.-]*\d*$/;
const plain = (name: string) =>
  name
    // CamelCase and underscores are words as well.
    .replace(/([a-z])([A-Z])/g, "$1 $2")
    .replace(/[_.]+/g, " ")
    .toLowerCase();

/**
 * A CAD colour that does not shout: chroma and lightness brought into a narrow range, the hue kept; what is clear stays
 * so.
 */
export function calmed(color: Bare["color"]): Finish {
  const cad = cadFinish(color);
  const { l, c, h } = lchOf(cad.color);
  const calm = codeOf({ l: 0.34 + 0.54 * Math.min(1, Math.max(0, l)), c: 0.085 * Math.tanh(c / 0.12), h });
  const clear = cad.opacity < 0.999;
  return { ...cad, color: calm, roughness: clear ? 0.08 : 0.5, metalness: 0 };
}

/**
 * Finishes for parts, from their names and else from their CAD colours. A name that says nothing is looked for in the
 * owners' names. What CAD made clear stays clear.
 */
export function proposeFinishes(parts: readonly Bare[]): Proposed[] {
  const library = new Map(FINISH_LIBRARY.map(({ id, name: _, family: __, ...finish }) => [id, finish]));
  return parts.map(({ key, names, color }) => {
    const telling = names.map(plain).find((n) => !NAMELESS.test(n.trim())) ?? "";
    const kind = KINDS.find((k) => k.words.test(telling));
    const clear = (color?.[3] ?? 1) < 0.999;
    const finish = kind && !(clear && kind.id !== "glass") ? library.get(kind.finish) : undefined;
    if (!kind || !finish) return { key, kind: REST.id, title: REST.title, finish: calmed(color) };
    return { key, kind: kind.id, title: kind.title, finish };
  });
}
