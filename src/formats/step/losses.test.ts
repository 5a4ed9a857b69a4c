import { expect, test } from "vitest";
import { lossWarnings } from "./losses";

const bytes = (text: string) => new TextEncoder().encode(text);
/** Two products of three and two faces. */
const FILE = bytes(`ISO-10303-21;
HEADER;
ENDSEC;
DATA;
#1=CLOSED_SHELL('',(#11,#12,#13));
#4=MANIFOLD_SOLID_BREP('one',#1);
#30=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#4),#90);
#2=OPEN_SHELL('',(#14,#15));
#5=SHELL_BASED_SURFACE_MODEL('',(#2));
#31=MANIFOLD_SURFACE_SHAPE_REPRESENTATION('',(#5),#90);
#11=ADVANCED_FACE('',(#91),#92,.T.);
#12=ADVANCED_FACE('',(#91),#92,.T.);
#13=ADVANCED_FACE('',(#91),#92,.T.);
#14=ADVANCED_FACE('',(#91),#92,.T.);
#15=ADVANCED_FACE('',(#91),#92,.T.);
#40=PRODUCT('P1','Bracket','',(#92));
#41=PRODUCT_DEFINITION_FORMATION('','',#40);
#42=PRODUCT_DEFINITION('design','',#41,#93);
#43=PRODUCT_DEFINITION_SHAPE('','',#42);
#44=SHAPE_DEFINITION_REPRESENTATION(#43,#30);
#50=PRODUCT('P2','Plate','',(#92));
#51=PRODUCT_DEFINITION_FORMATION('','',#50);
#52=PRODUCT_DEFINITION('design','',#51,#93);
#53=PRODUCT_DEFINITION_SHAPE('','',#52);
#54=SHAPE_DEFINITION_REPRESENTATION(#53,#31);
ENDSEC;
END-ISO-10303-21;
`);
const part = (name: string, faces: number, more = {}) => ({ name, faces, lost: 0, openShells: 0, ...more });

test("a file that came in whole has nothing to warn of", () => {
  expect(lossWarnings([part("Bracket", 3), part("Plate", 2)] as never, 2, [FILE])).toEqual([]);
});

test("faces that did not come in are counted and their parts named, those that are whole are not", () => {
  const [warning, ...more] = lossWarnings([part("Bracket", 3), part("Plate", 1)] as never, 2, [FILE]);
  expect(more).toEqual([]);
  expect(warning).toMatch(/^1 face that the file declares is damaged and did not come in: Plate \(1 of 2\)\./);
  const [both] = lossWarnings([part("Bracket", 1)] as never, 2, [FILE]);
  expect(both).toMatch(/^4 faces that the file declares are damaged and did not come in: Bracket \(2 of 3\), P/);
});

test("what could not be drawn and what is not closed is named, of many the first few", () => {
  const undrawn = lossWarnings([part("Bracket", 3, { lost: 2 }), part("Plate", 2)] as never, 2, [FILE]);
  expect(undrawn).toEqual([expect.stringContaining("Bracket (2 of 3)")]);
  const open = Array.from({ length: 30 }, (_, i) => part(`P${i}`, 5, { openShells: 1 }));
  const [hollow] = lossWarnings(open as never, 2, [FILE]);
  expect(hollow).toMatch(/P0, P1, .* and \d+ more\. They may look hollow/);
});
