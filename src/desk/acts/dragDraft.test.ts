import { beforeEach, expect, test, vi } from "vitest";
import { joint, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { HandleDrag } from "../../stage/handleDrag";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { beforeDrag, dragDraft } from "./dragDraft";
import { beginMove, changeDraft, dropDraft } from "./moveActions";

let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  const prepared = preparation();
  prepared.joints.h = joint("h", { type: "node", key: "root/arm" });
  desk = smallDesk(sequenceOf([{}]), prepared);
  desk.seek(seconds(0.5));
  select(desk, [desk.index.indexOf.get("root/arm") as number]);
});

const settings = () => desk.state.draft?.move.settings as Record<string, unknown>;
/** A drag of the arm's handles as far as these values. */
function drag(values: Record<string, number>, reading?: number): HandleDrag {
  const node = desk.index.indexOf.get("root/arm") as number;
  const tracks = desk.program.nodes.find((t) => t.node === node) as HandleDrag["tracks"];
  return {
    ...{ phase: "move", handle: { kind: "slide", axis: 0 }, tracks, values, orientation: null, delta: 0 },
    ...{ joint: reading === undefined ? null : { id: "h", reading }, snappedTo: null, typed: "", xPx: 0, yPx: 0 },
  };
}

test("a slide takes direction and distance of the drag; what is not a slide of it is not taken", () => {
  beginMove(desk, "slide");
  const before = { ...settings() };
  expect(dragDraft(desk, drag({ "turn.z": 30 }))).toBe(false);
  // Where it was to begin with there is no direction: what was set stays.
  expect(dragDraft(desk, drag({ "slide.x": 0 }))).toBe(true);
  expect(settings()).toEqual(before);
  expect(dragDraft(desk, drag({ "slide.x": 3, "slide.y": -4 }))).toBe(true);
  expect(settings()).toMatchObject({ way: "by", direction: [0.6, -0.8, 0], distance: 5 });
  expect(dragDraft(desk, drag({ "slide.z": 1e-5 }))).toBe(true);
  expect(settings()).toMatchObject({ direction: [0, 0, 1] });
});
test("a turn takes axis and angle, by or to", () => {
  beginMove(desk, "turn");
  expect(dragDraft(desk, drag({ "slide.x": 3 }))).toBe(false);
  expect(dragDraft(desk, drag({ "turn.y": 35 }))).toBe(true);
  expect(settings()).toMatchObject({ axis: "turn.y", way: "by", degrees: 35, joints: [] });
  changeDraft(desk, (m) => Object.assign(m.settings, { way: "to" }));
  dragDraft(desk, drag({ "turn.y": 50 }));
  expect(settings()).toMatchObject({ way: "to", degrees: 50 });
});
test("a joint's reading is taken by what drives that joint, and by nothing else", () => {
  beginMove(desk, "joint");
  changeDraft(desk, (m) => Object.assign(m.settings, { joints: ["h"], way: "home", value: 0 }));
  expect(dragDraft(desk, drag({}, 25))).toBe(true);
  expect(settings()).toMatchObject({ way: "by", value: 25 });
  changeDraft(desk, (m) => Object.assign(m.settings, { joints: ["other"] }));
  expect(dragDraft(desk, drag({}, 40))).toBe(false);
  dropDraft(desk);
  beginMove(desk, "slide");
  expect(dragDraft(desk, drag({}, 40))).toBe(false);
});
test("without a move in hand nothing is taken; a drag that is taken back brings it back as it was", () => {
  expect(dragDraft(desk, drag({ "slide.x": 3 }))).toBe(false);
  beginMove(desk, "slide");
  const before = desk.state.draft;
  const back = beforeDrag(desk);
  dragDraft(desk, drag({ "slide.x": 30 }));
  expect(settings()).toMatchObject({ distance: 30 });
  back();
  expect(desk.state.draft).toEqual(before);
});
