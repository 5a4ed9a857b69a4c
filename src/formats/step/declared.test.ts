import fc from "fast-check";
import { describe, expect, test } from "vitest";
import {
  damagedEntries,
  declaredByProduct,
  declaredIn,
  filesNamedIn,
  occurrencesIn,
  placementsIn,
  stepText,
} from "./declared";

const file = (data: string) => `ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n${data}\nENDSEC;\nEND-ISO-10303-21;\n`;

/** A bracket of two solids and a plate of a surface, as an exporter writes them. */
const PARTS = `#1=CLOSED_SHELL('',(#11,#12,#13));
#2 = OPEN_SHELL ( 'a shell; with #99 in its name', (#14,#15) );
#3=CLOSED_SHELL('it''s #98',(#16,#17,#18,#19));
#4=MANIFOLD_SOLID_BREP('one',#1);
#5=SHELL_BASED_SURFACE_MODEL('',(#2));
#6=BREP_WITH_VOIDS('',#3,(#7));
#7=ORIENTED_CLOSED_SHELL('',*,#8,.F.);
#8=CLOSED_SHELL('',(#20));
#30=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#4,#6),#90);
#31=MANIFOLD_SURFACE_SHAPE_REPRESENTATION('',(#5),#90);
#32=SHAPE_REPRESENTATION('',(#91),#90);
#33=SHAPE_REPRESENTATION_RELATIONSHIP('','',#32,#30);
#40=PRODUCT('P1','Bracket, ''left''','',(#92));
#41=PRODUCT_DEFINITION_FORMATION('','',#40);
#42=PRODUCT_DEFINITION('design','',#41,#93);
#43=PRODUCT_DEFINITION_SHAPE('','',#42);
#44=SHAPE_DEFINITION_REPRESENTATION(#43,#32);
#50=PRODUCT('P2','','',(#92));
#51=PRODUCT_DEFINITION_FORMATION_WITH_SPECIFIED_SOURCE('','',#50,.NOT_KNOWN.);
#52=PRODUCT_DEFINITION('design','',#51,#93);
#53=PRODUCT_DEFINITION_SHAPE('','',#52);
#54=SHAPE_DEFINITION_REPRESENTATION(#53,#31);`;

describe("what a file says it holds", () => {
  test("faces, shells and solids; a text that looks like a reference is none", () => {
    expect(declaredIn(file(PARTS))).toEqual({ faces: 10, shells: 4, openShells: 1, solids: 2 });
    expect(declaredIn(file(""))).toEqual({ faces: 0, shells: 0, openShells: 0, solids: 0 });
  });
  test("faces by product: through voids, related representations and surfaces; the number where there is no name", () => {
    expect(Object.fromEntries(declaredByProduct(file(PARTS)))).toEqual({ "Bracket, 'left'": 8, P2: 2 });
  });
  test("products of one name are added up, and what has no shape is left out", () => {
    const twice = PARTS.replace("PRODUCT('P2',''", "PRODUCT('P2','Bracket, ''left'''");
    expect(Object.fromEntries(declaredByProduct(file(twice)))).toEqual({ "Bracket, 'left'": 10 });
    expect(declaredByProduct(file(PARTS.replaceAll("(#4,#6)", "(#91)"))).has("Bracket, 'left'")).toBe(false);
  });
  test("bytes that are no letters stay one each", () => {
    expect(stepText(Uint8Array.of(35, 49, 228, 255))).toBe("#1äÿ");
  });
});

describe("how many occurrences there will be", () => {
  const use = (n: number, owner: number, part: number) =>
    `#${n}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#${owner},#${part},$);`;
  test("a tree that doubles at every level is counted without being built", () => {
    const levels = 40;
    const text = file(
      Array.from(
        { length: levels },
        (_, i) => `${use(1000 + 2 * i, i + 1, i + 2)}\n${use(1001 + 2 * i, i + 1, i + 2)}`,
      ).join("\n"),
    );
    expect(occurrencesIn(text)).toEqual({ count: 2 ** (levels + 1) - 1, depth: levels });
    expect(placementsIn(text)).toBe(2 * levels);
  });
  test("any tree has as many as counting its nodes gives, and is as deep", () => {
    fc.assert(
      fc.property(fc.array(fc.nat({ max: 1000 }), { minLength: 1, maxLength: 30 }), (owners) => {
        // Part i + 2 lies in one before it.
        const parents = owners.map((o, i) => 1 + (o % (i + 1)));
        const text = file(parents.map((p, i) => use(500 + i, p, i + 2)).join("\n"));
        const depth = (n: number): number => (n === 1 ? 0 : 1 + depth(parents[n - 2] as number));
        expect(occurrencesIn(text)).toEqual({
          count: owners.length + 1,
          depth: Math.max(...parents.map((_, i) => depth(i + 2))),
        });
      }),
    );
  });
  test("several roots count together; a circle never ends", () => {
    expect(occurrencesIn(file(`${use(1, 11, 12)}${use(2, 21, 22)}${use(3, 22, 12)}`))).toEqual({ count: 5, depth: 2 });
    expect(occurrencesIn(file(`${use(1, 11, 12)}${use(2, 12, 11)}`)).count).toBe(Number.POSITIVE_INFINITY);
    expect(occurrencesIn(file(`${use(1, 10, 11)}${use(2, 11, 12)}${use(3, 12, 11)}`)).count).toBe(
      Number.POSITIVE_INFINITY,
    );
    expect(occurrencesIn(file(""))).toEqual({ count: 0, depth: 0 });
  });
});

test("other files are named without their folders, each once", () => {
  const text = file(`#1=DOCUMENT_FILE('C:\\\\cad\\\\Wheel.STP','','',#2,'','');
#3=EXTERNALLY_DEFINED_ITEM(IDENTIFIER('parts/axle.step'),#4);
#5=DOCUMENT_FILE('parts/axle.step','','',#2,'','');
#6=DOCUMENT_FILE('readme.txt','','',#2,'','');`);
  expect(filesNamedIn(text)).toEqual(["Wheel.STP", "axle.step"]);
});

describe("entries that are not written as entries are", () => {
  const count = (data: string) => damagedEntries(file(data));
  test("none where all is well: comments, texts with quotes, semicolons and brackets, complex entries", () => {
    for (const good of [
      PARTS,
      "",
      "/* nothing */ #1=CARTESIAN_POINT('',(0.,0.,0.)); /* end; */",
      "#1=PRODUCT('it''s ) a ; (','',$);",
      "#2=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.));",
      "#3=X('a' /* ; ' */ ,#4);",
      "#5 = !OWN_ENTITY ( 1 ) ;",
    ])
      expect(count(good), good).toEqual({ count: 0, first: "" });
  });
  test("each that is damaged is counted, and the first named", () => {
    const good = "#1=POINT(1.);";
    for (const [bad, first] of [
      ["#2=POINT((1.);", "#2"],
      ["#2=POINT(1.));", "#2"],
      ["#2=POINT(1.))(;", "#2"],
      ["POINT(2.);", "an entry without a number"],
      ["#2 POINT(1.);", "#2"],
      ["#2=POINT('a'b,1.);", "#2"],
      ["#2=POINT(x'a');", "#2"],
      ["#2=7;", "#2"],
    ] as const)
      expect(count(`${good}\n${bad}\n${good}`), bad).toEqual({ count: 1, first });
    expect(count("#2=A((;#3=B((;#4=C();")).toEqual({ count: 2, first: "#2" });
    // A text that never ends takes the rest of the file along.
    expect(count("#2=A('never;#3=B();").count).toBe(1);
  });
  test("a comment that never ends, or a file without data, has nothing to look through", () => {
    expect(count("#1=A(); /* and so on")).toEqual({ count: 0, first: "" });
    expect(damagedEntries("no section")).toEqual({ count: 0, first: "" });
  });
});
