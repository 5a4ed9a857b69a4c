import { beforeEach, expect, test, vi } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { renameNode, setFinish } from "../../core/edit/preparationCommands";
import { calmed } from "../../core/finish/proposals";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { proposedGroups, proposeHere, takeProposed } from "./proposing";

let desk: Desk;
const finishes = () =>
  Object.fromEntries(
    Object.entries(desk.state.preparation.body.nodes).flatMap(([k, n]) => (n.finish ? [[k, n.finish.color]] : [])),
  );

beforeEach(() => {
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  desk = smallDesk(sequenceOf([{}]));
  desk.prepare("Rename", renameNode("root/arm/a", "Cap screw", "a"));
});

test("names given on the desk count; nothing is stored until it is taken, and then it is one act", () => {
  const plain = calmed(null);
  desk.prepare("Own", setFinish(["root/base"], { ...plain, color: "#123456" }));
  proposeHere(desk);
  expect(proposedGroups(desk.state.proposed ?? []).map((g) => [g.kind, g.list.map((p) => p.key)])).toEqual([
    ["fasteners", ["root/arm/a"]],
    ["rest", ["root/arm/b"]],
  ]);
  expect(finishes()).toEqual({ "root/base": "#123456" });
  takeProposed(desk);
  expect(desk.state.proposed).toBeNull();
  expect(finishes()).toEqual({ "root/arm/a": "#A9AFB3", "root/arm/b": plain.color, "root/base": "#123456" });
  desk.undo();
  expect(finishes()).toEqual({ "root/base": "#123456" });
});

test("for what is selected alone, even where it has a finish; and it is said when nothing is left", () => {
  desk.prepare("Own", setFinish(["root/arm/a", "root/arm/b", "root/base"], calmed(null)));
  proposeHere(desk);
  expect([desk.state.proposed, desk.state.notice?.text]).toEqual([null, expect.stringMatching(/finish of your own/)]);
  select(desk, [desk.index.indexOf.get("root/arm/a") as number]);
  proposeHere(desk);
  expect(desk.state.proposed?.map((p) => p.kind)).toEqual(["fasteners"]);
});
