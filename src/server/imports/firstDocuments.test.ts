import fc from "fast-check";
import { expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import type { Assembly } from "../../core/assembly/assembly";
import { flattenTree } from "../../core/assembly/build";
import { parseDocument } from "../../core/document/parse";
import type { Triple } from "../../core/math/triple";
import { firstDocuments } from "./firstDocuments";

const assembly = (min: Triple, max: Triple, up: "y" | "z"): Assembly => ({
  ...{ version: 1, name: "Far", format: "step", unit: "mm", up, warnings: [] },
  nodes: flattenTree(
    [
      {
        ...{ name: "Far", geometry: 0, color: null, children: [] },
        home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
      },
    ],
    [],
  ),
  geometries: [{ id: "g0", triangles: 1, bounds: { min, max } }],
});

test("what a first file is given can be opened, whatever its size and place: a wrong unit is set right at the desk", () => {
  const place = real(-1e12, 1e12);
  const size = fc.integer({ min: -6, max: 12 }).map((power) => 10 ** power);
  fc.assert(
    fc.property(place, place, place, size, fc.constantFrom("y" as const, "z" as const), (x, y, z, s, up) => {
      for (const { kind, body } of firstDocuments(assembly([x, y, z], [x + s, y + s / 2, z + s], up)))
        expect(() => parseDocument(kind as "sequence", body)).not.toThrow();
    }),
    { endOnFailure: true },
  );
});
