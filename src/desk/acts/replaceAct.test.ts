import { expect, test } from "vitest";
import { preparation, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { select, selectGroup } from "../selection/selecting";
import { replaceByFresh } from "./replaceAct";

test("only one part or sub-assembly can be replaced, and what else is selected is told why not", async () => {
  const prepared = preparation();
  prepared.groups.g = {
    id: "g",
    name: "Pair",
    color: null,
    members: ["root/base"],
  } as (typeof prepared.groups)[string];
  const desk = smallDesk(sequenceOf([{}]), prepared);
  const before = desk.body();
  await replaceByFresh(desk);
  expect(desk.state.notice?.text).toMatch(/^Select the one part/);
  selectGroup(desk, "g");
  await replaceByFresh(desk);
  expect(desk.state.notice?.text).toMatch(/^A group cannot be replaced/);
  select(desk, [1, 4]);
  await replaceByFresh(desk);
  expect(desk.state.notice?.text).toMatch(/^Select the one part/);
  expect(desk.body()).toBe(before);
  expect(desk.state.preparation.body.copies).toEqual({});
});
