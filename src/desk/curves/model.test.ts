import { expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { channelCurve } from "../../core/edit/curves/channel";
import { ChannelReader } from "../../core/edit/curves/reader";
import { kindOfChannel, reachOf, type Shown } from "./model";

const ARM = { type: "node", key: "root/arm" } as const;

test("a channel is a length, an angle or a plain number by what it is of, a joint by its kind", () => {
  const prepared = preparation();
  for (const [id, kind] of [
    ["h", "hinge"],
    ["s", "slide"],
  ] as const)
    prepared.joints[id] = {
      ...{ id, name: id, target: ARM, kind, point: [0, 0, 0], direction: [0, 0, 1] },
      ...{ zero: 0, flipped: false, pitch: 0, limits: null },
    };
  const desk = smallDesk(sequenceOf([{}]), prepared);
  const kinds = (names: string[]) => names.map((n) => kindOfChannel(desk, n));
  expect(kinds(["slide.x", "aim.z", "distance", "joint.s"])).toEqual(["length", "length", "length", "length"]);
  expect(kinds(["turn.y", "azimuth", "elevation", "roll", "joint.h"])).toEqual([
    "angle",
    "angle",
    "angle",
    "angle",
    "angle",
  ]);
  expect(kinds(["size.x", "opacity", "lens", "joint.gone"])).toEqual(["plain", "plain", "plain", "plain"]);
});

test("how far a channel reaches within a time is of that time alone, its points included", () => {
  // A spike that lies between the moments looked at, and another point outside the time.
  const s = sequenceOf([
    {
      "root/arm": [
        key("low", 1, 0.5, { "slide.x": -20 }),
        key("up", 5.003, 0.001, { "slide.x": 90 }),
        key("down", 5.004, 0.001, { "slide.x": 0 }),
        key("far", 12, 1, { "slide.x": 400 }),
      ],
    },
  ]);
  const { program } = smallDesk(s);
  const shown = {
    curve: channelCurve(program, ARM, "slide.x"),
    reader: new ChannelReader(program, ARM, "slide.x"),
  } as Shown;
  // The action begins after half a second of still.
  const reach = reachOf(shown, seconds(4), seconds(7));
  expect(reach.high).toBe(90);
  expect(reach.low).toBeCloseTo(-20, 3);
  expect(reachOf(shown, seconds(6), seconds(8))).toEqual({ low: 0, high: 0 });
});
