import { describe, expect, test } from "vitest";
import { MATRIX, may, type Need, ROLES, refusalOf } from "./matrix";

describe("who may do what", () => {
  test("an owner may everything, a reviewer looks, comments and decides, and changes nothing", () => {
    for (const need of Object.keys(MATRIX) as Need[]) {
      expect([need, may("owner", need)]).toEqual([need, true]);
      const looks = ["projects.list", "project.look", "review.look", "review.say", "account.own"].includes(need);
      expect([need, may("reviewer", need)]).toEqual([need, looks]);
      expect(MATRIX[need].roles.every((r) => ROLES.includes(r))).toBe(true);
    }
  });
  test("who is refused is told what, and whom to ask", () => {
    expect(refusalOf("reviewer", "project.edit")).toBe(
      "You are a reviewer here and may not change a project. Ask the owner or an animator.",
    );
  });
});
