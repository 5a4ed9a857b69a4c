import { expect, test } from "vitest";
import { joint } from "../../../tests/support/assembly";
import { type Link, LinkSchema } from "../document/preparation";
import { newLink } from "../edit/newLink";
import { kindsFor, LINK_KIND_NAMES, LINK_KINDS, needsOf, pieceOf, scaleLink } from "./linkKinds";

const of = (kind: "hinge" | "slide" | "screw") =>
  joint(kind, { type: "node", key: kind }, { kind, pitch: kind === "screw" ? 2 : 0 });
const [hinge, slide] = [of("hinge"), of("slide")];

test("the likeliest kind is offered first, and only what two joints allow", () => {
  expect(kindsFor(hinge, of("screw"))).toEqual(["gears", "ratio", "four-bar", "cam"]);
  expect(kindsFor(hinge, slide)).toEqual(["crank-slider", "rack", "lead", "ratio", "cam"]);
  expect(kindsFor(slide, hinge)).toEqual(["ratio", "cam"]);
  expect(needsOf("rack")).toEqual(["turning", "straight"]);
  expect(needsOf("no such kind")).toEqual(["any", "any"]);
});

test.each(LINK_KIND_NAMES)("%s: every setting of its schema has a field, and every field a setting", (kind) => {
  const link = newLink(kind, "l", hinge, slide);
  const named = LINK_KINDS[kind].fields.flatMap((f) => (f.type === "points" ? [f.name, f.period] : [f.name]));
  const own = Object.keys(link).filter((k) => !["id", "name", "driver", "follower", "kind"].includes(k));
  expect(named.sort()).toEqual(own.sort());
});

test("a change of unit scales what is a length, and no angle, number of teeth or way", () => {
  const scaled = (kind: (typeof LINK_KIND_NAMES)[number], change: object, straight: [boolean, boolean]) => {
    const link = { ...newLink(kind, "l", hinge, slide), ...change } as Link;
    scaleLink(link, straight, 25.4);
    expect(LinkSchema.safeParse(link).success).toBe(true);
    return link;
  };
  expect(scaled("gears", { offset: 3 }, [false, false])).toMatchObject({
    driverTeeth: 20,
    followerTeeth: 20,
    offset: 3,
  });
  expect(scaled("rack", { travel: 2, offset: 1 }, [false, true])).toMatchObject({ travel: 50.8, offset: 25.4 });
  expect(scaled("crank-slider", { offset: 2, homeAngle: 30, branch: -1 }, [false, true])).toMatchObject({
    ...{ radius: 254, rodLength: 1016, offset: 50.8, homeAngle: 30, branch: -1, rod: null },
  });
  expect(scaled("ratio", { num: 2, den: 3, offset: 1 }, [false, true])).toMatchObject({
    num: 50.8,
    den: 3,
    offset: 25.4,
  });
  expect(scaled("ratio", { num: 2, den: 3, offset: 1 }, [true, false])).toMatchObject({
    num: 2,
    den: 76.19999999999999,
    offset: 1,
  });
  expect(scaled("four-bar", { driverPin: [1, 0, -2], crossed: true }, [false, false])).toMatchObject({
    ...{ driverPin: [25.4, 0, -50.8], followerPin: [0, 0, 0], crossed: true },
  });
  const points = [
    [0, 0],
    [10, 2],
  ];
  expect(scaled("cam", { points, period: 20 }, [true, false])).toMatchObject({
    points: [
      [0, 0],
      [254, 2],
    ],
    period: 508,
  });
  expect(scaled("cam", { points, period: null }, [false, true])).toMatchObject({
    points: [
      [0, 0],
      [10, 50.8],
    ],
    period: null,
  });
});

test("the piece between two pins is known by its field", () => {
  const rod = { type: "node", key: "rod" } as const;
  expect(pieceOf({ ...newLink("crank-slider", "l", hinge, slide), rod } as Link)).toEqual(rod);
  expect(pieceOf(newLink("four-bar", "l", hinge, hinge))).toBeNull();
  expect(pieceOf(newLink("gears", "l", hinge, hinge))).toBeNull();
});
