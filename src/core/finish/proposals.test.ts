import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { cadFinish } from "../assembly/cadFinish";
import { codeOf, lchOf } from "../color/oklab";
import { parseDocument } from "../document/parse";
import { emptyPreparation } from "../document/preparation";
import { FinishSchema } from "../document/surroundings";
import { calmed, proposeFinishes } from "./proposals";

const kindOf = (...names: string[]) => proposeFinishes([{ key: "k", names, color: [1, 0, 0, 1] }])[0]?.kind;

describe("a finish by name", () => {
  test.each([
    ["fasteners", "Cap screw M4x12"],
    ["fasteners", "HexNut_M6"],
    ["springs", "Return spring"],
    ["seals", "O-ring 12x2"],
    ["glass", "Sight glass"],
    ["brass", "Bushing"],
    ["gears", "Pinion 14T"],
    ["grips", "Turning grip"],
    ["plates", "bracket.left"],
    ["rest", "Filter bowl"],
    ["rest", "Screwdriver"],
    ["rest", "Spring seat"],
  ])("%s: %s", (kind, name) => {
    expect(kindOf(name)).toBe(kind);
  });
  test("a name that says nothing is looked for in the owners' names", () => {
    expect(kindOf("Solid 3", "Part_12", "Spring washer")).toBe("fasteners");
    expect(kindOf("Solid", "Cover", "Gear")).toBe("rest");
  });
  test("what is clear in CAD stays clear, whatever it is called", () => {
    const [seal] = proposeFinishes([{ key: "k", names: ["Clear seal"], color: [0.2, 0.4, 0.5, 0.3] }]);
    expect(seal?.finish.opacity).toBeCloseTo(0.3, 9);
    expect(proposeFinishes([{ key: "k", names: ["Window"], color: [1, 1, 1, 0.3] }])[0]?.kind).toBe("glass");
  });
});

describe("a calmed colour", () => {
  const color = fc.tuple(...[0, 1, 2].map(() => real(0, 1))) as fc.Arbitrary<[number, number, number]>;
  test("never shouts, and keeps its hue as far as a colour this pale has one", () => {
    fc.assert(
      fc.property(color, (rgb) => {
        const finish = calmed([...rgb, 1]);
        expect(FinishSchema.safeParse(finish).success).toBe(true);
        const calm = lchOf(finish.color);
        expect(calm.c).toBeLessThan(0.095);
        expect(calm.l).toBeGreaterThan(0.3);
        expect(calm.l).toBeLessThan(0.92);
        if (calm.c < 0.03) return;
        const before = lchOf(cadFinish([...rgb, 1]).color);
        const turn = Math.abs(Math.atan2(Math.sin(calm.h - before.h), Math.cos(calm.h - before.h)));
        expect(turn).toBeLessThan(0.2);
      }),
    );
  });
  test("two loud colours stay apart", () => {
    const codes = [calmed([1, 0, 0, 1]), calmed([0, 1, 0, 1]), calmed([0, 0, 1, 1]), calmed([1, 0, 1, 1])].map(
      (f) => f.color,
    );
    expect(new Set(codes).size).toBe(4);
    for (const a of codes)
      for (const b of codes) {
        if (a === b) continue;
        const [p, q] = [lchOf(a), lchOf(b)];
        expect(
          Math.hypot(p.l - q.l, p.c * Math.cos(p.h) - q.c * Math.cos(q.h), p.c * Math.sin(p.h) - q.c * Math.sin(q.h)),
        ).toBeGreaterThan(0.08);
      }
  });
});

test("colours go there and back to the byte", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 0xffffff }), (n) => {
      const code = `#${n.toString(16).padStart(6, "0").toUpperCase()}`;
      expect(codeOf(lchOf(code))).toBe(code);
    }),
  );
});

test("what is proposed may be stored", () => {
  const [p] = proposeFinishes([{ key: "a", names: ["Gear"], color: null }]);
  const body = { ...emptyPreparation(), nodes: { a: { finish: p?.finish } } };
  expect(() => parseDocument("preparation", body)).not.toThrow();
});
