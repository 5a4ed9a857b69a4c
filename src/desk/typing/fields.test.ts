import { describe, expect, test } from "vitest";
import { joint, seconds } from "../../../tests/support/assembly";
import type { Joint } from "../../core/document/preparation";
import { newLink } from "../../core/edit/newLink";
import { linkFault } from "../../core/kinematics/graph";
import { kindsFor } from "../../core/kinematics/linkKinds";
import { parseOften, shownOften } from "./often";
import { parseDirection } from "./parseDirection";
import { parseStepLength } from "./stepLength";
import { parsed, shown } from "./valueFields";

describe("typed directions", () => {
  test("axes and numbers, brought to length one", () => {
    expect(parseDirection(" -Z ")).toEqual({ value: [0, 0, -1] });
    expect(parseDirection("0 3 4")).toEqual({ value: [0, 0.6, 0.8] });
    expect(parseDirection("1,5 0 0")).toEqual({ value: [1, 0, 0] });
  });
  test("what is none says so", () => {
    expect(parseDirection("0 0 0")).toEqual({ error: "A direction of length 0 points nowhere." });
    expect(parseDirection("to the left")).toEqual({ value: [-1, 0, 0] });
    for (const text of ["", "sideways", "1 2", "1 2 x", "1e999 0 0"])
      expect(parseDirection(text)).toHaveProperty("error");
  });
});

test("values are read and shown in the display unit; shares as numbers or per cent", () => {
  expect(parsed("2in", "length", "mm")).toEqual({ value: 50.8 });
  expect(shown(50.8, "length", "in")).toBe("2");
  expect(parsed("1/4 turn", "angle", "mm")).toEqual({ value: 90 });
  expect(parsed("35 %", "share", "mm")).toEqual({ value: 0.35 });
  for (const [text, kind] of [
    ["1.2", "share"],
    ["", "share"],
    ["", "plain"],
    ["Infinity", "plain"],
  ] as const)
    expect(parsed(text, kind, "mm")).toHaveProperty("error");
});

test("every kind of link that is offered for two joints fits them", () => {
  const of = (id: string, kind: Joint["kind"]) =>
    joint(id, { type: "node", key: id }, { kind, pitch: kind === "screw" ? 1 : 0 });
  for (const a of ["hinge", "slide", "screw"] as const) {
    for (const b of ["hinge", "slide", "screw"] as const) {
      const [driver, follower] = [of("a", a), of("b", b)];
      for (const kind of kindsFor(driver, follower)) {
        const link = newLink(kind, "l", driver, follower);
        expect(linkFault({ joints: { a: driver, b: follower }, links: { l: link } })).toBeNull();
      }
    }
  }
});

test("a step's length is read with or without its stills", () => {
  const rate = { num: 30, den: 1 };
  for (const [text, is] of [
    ["4", { ticks: seconds(4), stills: "keep" }],
    ["120f", { ticks: seconds(4), stills: "keep" }],
    ["4 s, no stills", { ticks: seconds(4), stills: "none" }],
    ["without still", { ticks: null, stills: "none" }],
  ] as const)
    expect(parseStepLength(text, rate)).toEqual(is);
  for (const text of ["", "-1", "long", "x, no stills"]) expect(parseStepLength(text, rate)).toHaveProperty("error");
});

test("how often is read as times, a moment, or for good", () => {
  const rate = { num: 30, den: 1 };
  for (const [text, is] of [
    ["3", { times: 3 }],
    ["3 times in all", { times: 3 }],
    ["4x", { times: 4 }],
    ["for good", { times: null }],
    ["until 12 s", { until: seconds(12) }],
    ["5 times, from there", { times: 5, way: "add" }],
    ["for good and back", { times: null, way: "swing" }],
  ] as const)
    expect(parseOften(text, rate)).toEqual(is);
  for (const text of ["", "0", "2.5", "until", "until noon", "often", "10001"])
    expect(parseOften(text, rate)).toHaveProperty("error");
  for (const times of [2, null]) expect(parseOften(shownOften(times), rate)).toEqual({ times });
});
