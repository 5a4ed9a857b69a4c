import { describe, expect, test } from "vitest";
import { damagedEntries, declaredByProduct, declaredIn, filesNamedIn, occurrencesIn, placementsIn } from "./declared";
import { mastersOf, partsOf } from "./set";

const bytes = (text: string) => new TextEncoder().encode(text);
const naming = (name: string, ...others: string[]) => ({
  name,
  bytes: bytes(
    `HEADER;\nFILE_NAME('self.stp');\nENDSEC;\nDATA;\n${others.map((o, i) => `#${i}=DOCUMENT_FILE('${o}','','',#9,'',$);`).join("\n")}`,
  ),
});

describe("a set of files", () => {
  const set = [
    naming("Top.stp", "arm.stp", "BASE.stp"),
    naming("arm.stp", "pin.stp"),
    naming("base.stp"),
    naming("pin.stp"),
  ];
  test("has the one that no other names as its master, whatever the letter case", () =>
    expect(mastersOf(set)).toEqual(["Top.stp"]));
  test("with a file in the middle missing still has its master", () => {
    expect(mastersOf([set[0], set[2], set[3]] as typeof set)).toEqual(["Top.stp"]);
    expect(partsOf(set[0] as (typeof set)[number], (n) => (n === "BASE.stp" ? bytes("x") : null))).toMatchObject({
      parts: [{ name: "BASE.stp" }],
      missing: ["arm.stp"],
    });
  });
  test("that does not belong together has several", () => {
    expect(mastersOf([naming("a.stp"), naming("b.stp")])).toEqual(["a.stp", "b.stp"]);
    expect(mastersOf([...set, naming("other.stp")])).toEqual(["Top.stp", "other.stp"]);
  });
  test("that names itself or goes round in a circle ends", () => {
    const a = naming("a.stp", "a.stp", "b.stp");
    const b = naming("b.stp", "a.stp");
    expect(partsOf(a, () => b.bytes).parts.map((p) => p.name)).toEqual(["b.stp"]);
  });
  test("is found by what places shapes, not by names in texts", () => {
    expect(
      filesNamedIn("#1=PRODUCT('x.stp','x.stp','',());#2=DOCUMENT_FILE('C:\\\\parts\\\\y.STEP','','',#3,'',$);"),
    ).toEqual(["y.STEP"]);
  });
});

describe("what a STEP file declares", () => {
  const text = [
    "#1=CLOSED_SHELL('#99 (',(#10,#11,#12));",
    "#2=MANIFOLD_SOLID_BREP('',#1);",
    "#3=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#2),#8);",
    "#4=PRODUCT('id','It''s a bolt; really','',(#5));",
    "#6=PRODUCT_DEFINITION_FORMATION('','',#4);",
    "#7=PRODUCT_DEFINITION('','',#6,#5);",
    "#20=PRODUCT_DEFINITION_SHAPE('','',#7);",
    "#21=SHAPE_DEFINITION_REPRESENTATION(#20,#3);",
    "#22 = OPEN_SHELL ( '' , ( #13 ) ) ;",
    "#30=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#50,#51,$);",
    "#31=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#50,#51,$);",
    "#32=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#51,#52,$);",
  ].join("\n");
  test("faces, shells and solids are counted, texts are not", () =>
    expect(declaredIn(text)).toEqual({ faces: 4, shells: 2, openShells: 1, solids: 1 }));
  test("faces by product", () => expect([...declaredByProduct(text)]).toEqual([["It's a bolt; really", 3]]));
  test("placements, and the tree that they make", () => {
    expect(placementsIn(text)).toBe(3);
    expect(occurrencesIn(text)).toEqual({ count: 5, depth: 2 });
  });
  test("entries that are not written as they must be", () => {
    const data = (rows: string) => `ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n${rows}\nENDSEC;\nEND-ISO-10303-21;\n`;
    const good = "#1=A('it''s #5=(', (#2,$,*),.T.);\n/* #7=( */#2 = (B()C(1.E-3));\n#3=D(\"0F\",'');";
    expect(damagedEntries(data(good))).toEqual({ count: 0, first: "" });
    for (const [bad, first] of [
      ["#4=A('x','Next as('x','Next');", "#4"],
      ["#4=A((#1);", "#4"],
      ["#4=A(#1));", "#4"],
      ["4=A(#1);", "an entry without a number"],
      ["#4 A(#1);", "#4"],
    ] as const)
      expect(damagedEntries(data(`${good}\n${bad}\n#9=E();`))).toEqual({ count: 1, first });
  });
  test("a product that contains itself, and a chain as long as the file", () => {
    expect(
      occurrencesIn(
        "#1=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#5,#6,$);#2=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#6,#5,$);",
      ).count,
    ).toBe(Number.POSITIVE_INFINITY);
    const chain = Array.from(
      { length: 100_000 },
      (_, i) => `#${i}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','',#${500_000 + i},#${500_001 + i},$);`,
    ).join("\n");
    expect(occurrencesIn(chain)).toEqual({ count: 100_001, depth: 100_000 });
  });
});
