import { once } from "node:events";
import { createWriteStream } from "node:fs";

/** An entity of a STEP file's data section: what stands after its number, and the numbers that it names. */
interface Entity {
  text: string;
  names: number[];
}

/** The entities of a STEP file by number. */
function entitiesOf(step: string): Map<number, Entity> {
  const out = new Map<number, Entity>();
  for (const m of step.matchAll(/#(\d+)\s*=\s*((?:'(?:[^']|'')*'|[^';])*);/g)) {
    const text = (m[2] as string).replace(/\s*\n\s*/g, "");
    out.set(Number(m[1]), { text, names: [...text.matchAll(/#(\d+)/g)].map((n) => Number(n[1])) });
  }
  return out;
}

/** A solid with all that it is made of, its numbers counted from 0, the solid's own last. */
interface Solid {
  entities: string[];
}

/** The solids of a STEP file, to be written again. */
export function solidsOf(step: string): Solid[] {
  const all = entitiesOf(step);
  return [...all].flatMap(([id, { text }]) => {
    if (!text.startsWith("MANIFOLD_SOLID_BREP")) return [];
    const order: number[] = [];
    const seen = new Set<number>();
    const visit = (n: number) => {
      if (seen.has(n)) return;
      seen.add(n);
      for (const name of all.get(n)?.names ?? []) visit(name);
      order.push(n);
    };
    visit(id);
    const place = new Map(order.map((n, i) => [n, i]));
    const entities = order.map((n) =>
      (all.get(n)?.text ?? "").replace(/#(\d+)/g, (_, k) => `#<${place.get(Number(k))}>`),
    );
    return [{ entities }];
  });
}

const PER_GROUP = 10;
const CONTEXT = [
  "#1=APPLICATION_CONTEXT('core data for automotive mechanical design processes');",
  "#2=PRODUCT_CONTEXT('',#1,'mechanical');",
  "#3=PRODUCT_DEFINITION_CONTEXT('part definition',#1,'design');",
  "#4=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));",
  "#5=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));",
  "#6=(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT());",
  "#7=UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-7),#4,'distance_accuracy_value','');",
  "#8=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#7))GLOBAL_UNIT_ASSIGNED_CONTEXT((#4,#5,#6))REPRESENTATION_CONTEXT('',''));",
  "#9=CARTESIAN_POINT('',(0.,0.,0.));",
  "#10=DIRECTION('',(0.,0.,1.));",
  "#11=DIRECTION('',(1.,0.,0.));",
  "#12=AXIS2_PLACEMENT_3D('',#9,#10,#11);",
];

/**
 * Writes a made-up STEP assembly (AP214): each part is there twice, ten to a sub-assembly, ten of those to a larger one,
 * all at places of their own.
 * @param solids whose shapes the parts have, in turn @param times the whole is there so often, ten to a larger one:
 * a power of ten @returns bytes written
 */
export async function writeLargeStep(
  path: string,
  solids: readonly Solid[],
  occurrences: number,
  times = 1,
): Promise<number> {
  const file = createWriteStream(path);
  let bytes = 0;
  let next = 13;
  let buffer: string[] = [];
  const flush = async () => {
    const text = `${buffer.join("\n")}\n`;
    buffer = [];
    bytes += Buffer.byteLength(text);
    if (!file.write(text)) await once(file, "drain");
  };
  const put = (text: string): number => {
    buffer.push(`#${next}=${text};`);
    return next++;
  };
  buffer.push(
    "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('made up'),'2;1');\nFILE_NAME('large','2026-01-01T00:00:00',(''),(''),'','','');",
    "FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;",
    ...CONTEXT,
  );

  /** A product and the representation of its shape. */
  const product = (name: string, representation: string) => {
    const p = put(`PRODUCT('${name}','${name}','',(#2))`);
    const definition = put(`PRODUCT_DEFINITION('design','',#${put(`PRODUCT_DEFINITION_FORMATION('','',#${p})`)},#3)`);
    const shape = put(representation);
    put(`SHAPE_DEFINITION_REPRESENTATION(#${put(`PRODUCT_DEFINITION_SHAPE('','',#${definition})`)},#${shape})`);
    return { definition, shape };
  };
  type Product = ReturnType<typeof product>;
  /** Something made of others, each at a place of its own. */
  const assembly = (name: string, children: readonly (Product & { name: string })[], step: number): Product => {
    const places = children.map((_, i) => {
      const at = put(`CARTESIAN_POINT('',(${(i % 5) * step}.,${Math.floor(i / 5) * step}.,0.))`);
      return put(`AXIS2_PLACEMENT_3D('',#${at},#10,#11)`);
    });
    const own = product(name, `SHAPE_REPRESENTATION('',(#12,${places.map((p) => `#${p}`).join(",")}),#8)`);
    children.forEach((child, i) => {
      const move = put(`ITEM_DEFINED_TRANSFORMATION('','',#12,#${places[i]})`);
      const relation = put(
        `(REPRESENTATION_RELATIONSHIP('','',#${child.shape},#${own.shape})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#${move})SHAPE_REPRESENTATION_RELATIONSHIP())`,
      );
      const use = put(
        `NEXT_ASSEMBLY_USAGE_OCCURRENCE('${next}','${child.name} ${i + 1}','',#${own.definition},#${child.definition},$)`,
      );
      put(`CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#${relation},#${put(`PRODUCT_DEFINITION_SHAPE('','',#${use})`)})`);
    });
    return own;
  };

  let level: (Product & { name: string })[] = [];
  for (let made = 0, k = 0; made < occurrences; k++) {
    const parts: typeof level = [];
    for (let i = 0; i < PER_GROUP / 2 && made < occurrences; i++, made += 2) {
      const solid = solids[(k * PER_GROUP + i) % solids.length] as Solid;
      const first = next;
      for (const e of solid.entities) put(e.replace(/#<(\d+)>/g, (_, n) => `#${first + Number(n)}`));
      const whole = next - 1;
      const name = `Part ${made / 2 + 1}`;
      const part = { ...product(name, `ADVANCED_BREP_SHAPE_REPRESENTATION('',(#12,#${whole}),#8)`), name };
      parts.push(part, part);
    }
    level.push({ ...assembly(`Group ${k + 1}`, parts, 120), name: `Group ${k + 1}` });
    await flush();
  }
  let height = 2;
  for (; level.length > 1; height++) {
    const above: typeof level = [];
    for (let i = 0; i < level.length; i += PER_GROUP) {
      const name = `Section ${height}.${above.length + 1}`;
      above.push({ ...assembly(name, level.slice(i, i + PER_GROUP), 120 * 5 ** (height - 1)), name });
    }
    level = above;
  }
  for (let n = 10; n <= times; n *= PER_GROUP, height++) {
    const [one] = level as [(typeof level)[number]];
    const name = `Field of ${n}`;
    level = [
      {
        ...assembly(
          name,
          Array.from({ length: PER_GROUP }, () => one),
          120 * 5 ** (height - 1),
        ),
        name,
      },
    ];
  }
  buffer.push("ENDSEC;\nEND-ISO-10303-21;");
  await flush();
  file.end();
  await once(file, "finish");
  return bytes;
}
