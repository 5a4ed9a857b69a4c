import { describe, expect, test } from "vitest";
import { linkFault } from "./graph";
import { advance, hasPitch, JOINT_KIND_NAMES, JOINT_KINDS, turns } from "./jointKinds";

describe("kinds of joints", () => {
  test("what turns is read in degrees; what turns and advances needs a pitch", () => {
    expect(JOINT_KIND_NAMES.map((kind) => [kind, turns({ kind }), hasPitch({ kind })])).toEqual([
      ["hinge", true, false],
      ["slide", false, false],
      ["screw", true, true],
    ]);
  });
  test("a hinge stays, a slide goes as far as it reads, a screw by its pitch each turn, backward too", () => {
    const at = (kind: "hinge" | "slide" | "screw", departed: number) => advance({ kind, pitch: -1.5 }, departed);
    expect([at("hinge", 90), at("slide", 12), at("screw", 720), at("screw", -90)]).toEqual([0, 12, -3, 0.375]);
  });
  test("a link says which kinds would do", () => {
    const joint = (id: string, kind: "hinge" | "slide" | "screw") => ({ id, name: id, kind });
    const links = (kind: string) => ({ l: { id: "l", name: "L", kind, driver: "a", follower: "b" } });
    expect(linkFault({ joints: { a: joint("a", "hinge"), b: joint("b", "hinge") }, links: links("rack") })).toBe(
      'The link "L" needs a slide as its follower; "b" is a hinge.',
    );
    expect(linkFault({ joints: { a: joint("a", "slide"), b: joint("b", "hinge") }, links: links("gears") })).toBe(
      'The link "L" needs a hinge or screw as its driver; "a" is a slide.',
    );
    expect(linkFault({ joints: { a: joint("a", "screw"), b: joint("b", "slide") }, links: links("lead") })).toBeNull();
    expect(JOINT_KINDS.slide.title).toBe("Slide");
  });
});
