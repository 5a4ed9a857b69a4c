import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, preparation, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { cadFinish } from "../../core/assembly/cadFinish";
import { copyKey } from "../../core/assembly/prepared";
import { nameOf, nodesOf, targetName } from "../names";
import type { Desk } from "../port";
import {
  climb,
  partsOf,
  select,
  selectBeside,
  selectedKeys,
  selectGroup,
  setJoint,
  targetOf,
} from "../selection/selecting";
import {
  adjustFinish,
  allHave,
  beginRename,
  copyFinish,
  copyPart,
  dissolve,
  everything,
  giveFinish,
  groupSelection,
  isCopy,
  joinGroup,
  leaveGroups,
  onlyThese,
  pasteFinish,
  removeCopyOf,
  rename,
  selectionName,
  selectSimilar,
  shapesOfSelection,
  toggleFlag,
} from "./partActions";

const ARM = "root/arm";
const A = "root/arm/a";
const B = "root/arm/b";
const BASE = "root/base";

let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 5 })] }, {}]), preparation());
});
afterEach(() => vi.unstubAllGlobals());

const at = (k: string) => desk.index.indexOf.get(k) as number;
const pick = (...keys: string[]) => select(desk, keys.map(at));
const prepared = () => desk.state.preparation.body;
const words = () => desk.state.notice?.text ?? "";

describe("what is selected, in words and as a target", () => {
  test("one part by its name, several by their number, a group by its own", () => {
    pick(A);
    expect([selectionName(desk), targetOf(desk), selectedKeys(desk)]).toEqual(["a", { type: "node", key: A }, [A]]);
    pick(A, B);
    expect([selectionName(desk), targetOf(desk)]).toEqual(["2 parts", null]);
    groupSelection(desk);
    expect(selectionName(desk)).toBe("Group 1");
    expect(targetOf(desk)).toMatchObject({ type: "group" });
    pick();
    expect([targetOf(desk), desk.state.focus.kind]).toEqual([null, "step"]);
  });
  test("names of what is gone and of what is no part are told too", () => {
    expect(targetName(desk, { type: "node", key: "root/none/Old bolt" })).toBe("Old bolt");
    expect(targetName(desk, { type: "group", id: "none" })).toBe("A group that is gone");
    expect(["camera", "look", "picture"].map((type) => targetName(desk, { type, id: "main" } as never))).toEqual([
      "Main camera",
      "Look",
      "Live camera",
    ]);
    expect([
      nameOf(desk, -1),
      nodesOf(desk, { type: "node", key: "none" }),
      partsOf(desk, { type: "look" }).nodes,
    ]).toEqual(["", [], []]);
  });
  test("climbing goes to the group first, then to the owner, and stays at the top", () => {
    pick(A);
    climb(desk);
    expect(selectedKeys(desk)).toEqual([ARM]);
    climb(desk);
    climb(desk);
    expect(selectedKeys(desk)).toEqual(["root"]);
    pick(B, BASE);
    groupSelection(desk);
    pick(B);
    climb(desk);
    expect(desk.state.group).toBe(Object.keys(prepared().groups)[0]);
  });
  test("selecting beside leaves in the details what is there", () => {
    desk.choose({ kind: "look", parts: { nodes: [], group: null } });
    selectBeside(desk, [at(A)]);
    expect([desk.state.focus.kind, selectedKeys(desk)]).toEqual(["look", [A]]);
    setJoint(desk, "none");
    expect(desk.state.joint).toBe("none");
  });
});

describe("flags", () => {
  test("are set for all of the selection, and taken back only when all have them; each is one undo", () => {
    pick(A);
    toggleFlag(desk, "hidden");
    expect(prepared().nodes[A]).toEqual({ hidden: true });
    pick(A, B);
    expect(allHave(desk, "hidden")).toBe(false);
    toggleFlag(desk, "hidden");
    expect([prepared().nodes[A]?.hidden, prepared().nodes[B]?.hidden]).toEqual([true, true]);
    expect(desk.state.undoLabel).toBe("Hide 2 parts");
    toggleFlag(desk, "hidden");
    expect(prepared().nodes).toEqual({});
    desk.undo();
    desk.undo();
    desk.undo();
    expect(prepared().nodes).toEqual({});
  });
  test("a group is locked as one", () => {
    pick(A, BASE);
    groupSelection(desk);
    toggleFlag(desk, "locked");
    expect([allHave(desk, "locked"), Object.values(prepared().groups)[0]?.locked]).toEqual([true, true]);
    expect(prepared().nodes[A]?.locked).toBeUndefined();
  });
  test("only the selection is shown, and everything again", () => {
    pick(A);
    onlyThese(desk);
    expect([prepared().nodes[BASE]?.hidden, prepared().nodes[A]?.hidden]).toEqual([true, undefined]);
    everything(desk);
    expect(Object.values(prepared().nodes).some((n) => n.hidden)).toBe(false);
    pick();
    const before = prepared();
    onlyThese(desk);
    expect(prepared()).toBe(before);
  });
});

describe("groups", () => {
  test("get a free name that can be typed over, are joined, left and dissolved", () => {
    pick(A);
    groupSelection(desk);
    pick(B);
    groupSelection(desk);
    const [one, two] = Object.values(prepared().groups);
    expect([one?.name, two?.name, desk.state.renaming]).toEqual(["Group 1", "Group 2", { type: "group", id: two?.id }]);
    joinGroup(desk, one?.id ?? "", [BASE]);
    expect(Object.values(prepared().groups)[0]?.members).toEqual([A, BASE]);
    leaveGroups(desk, [A]);
    expect(Object.values(prepared().groups)[0]?.members).toEqual([BASE]);
    selectGroup(desk, one?.id ?? "");
    dissolve(desk);
    expect([Object.keys(prepared().groups), selectedKeys(desk)]).toEqual([[two?.id], [BASE]]);
    pick();
    groupSelection(desk);
    expect(words()).toBe("Select the parts that the group shall hold.");
  });
});

describe("names", () => {
  test("are typed; the CAD name comes back with nothing, and the same name is no change", () => {
    pick(A);
    beginRename(desk);
    expect(desk.state.renaming).toEqual({ type: "node", key: A });
    rename(desk, { type: "node", key: A }, "  Left cheek ");
    expect([nameOf(desk, at(A)), desk.state.renaming, desk.state.undoLabel]).toEqual(["Left cheek", null, "Rename a"]);
    const before = prepared();
    rename(desk, { type: "node", key: A }, "Left cheek");
    expect(prepared()).toBe(before);
    rename(desk, { type: "node", key: A }, "");
    expect(nameOf(desk, at(A))).toBe("a");
    groupSelection(desk);
    const id = Object.keys(prepared().groups)[0] as string;
    rename(desk, { type: "group", id }, "Cheeks");
    rename(desk, { type: "group", id }, "  ");
    expect(prepared().groups[id]?.name).toBe("Cheeks");
  });
});

describe("finishes", () => {
  const brass = { ...cadFinish(null), color: "#c9a227", metalness: 0.9 };
  test("go to all shapes below what is selected, from one part to others, and back to CAD's", () => {
    pick(ARM);
    expect(shapesOfSelection(desk)).toEqual([A, B]);
    giveFinish(desk, brass);
    expect([prepared().nodes[A]?.finish, prepared().nodes[B]?.finish, prepared().nodes[ARM]]).toEqual([
      brass,
      brass,
      undefined,
    ]);
    pick(A);
    copyFinish(desk);
    expect(words()).toMatch(/The finish of a is copied/);
    pick(BASE);
    pasteFinish(desk);
    expect(prepared().nodes[BASE]?.finish).toEqual(brass);
    giveFinish(desk, null);
    expect(prepared().nodes[BASE]?.finish).toBeUndefined();
  });
  test("some numbers change and the others stay each part's own; a drag of a slider is one undo", () => {
    pick(A);
    giveFinish(desk, brass);
    pick(A, B);
    adjustFinish(desk, { roughness: 0.2 });
    adjustFinish(desk, { roughness: 0.3 });
    expect(prepared().nodes[A]?.finish).toEqual({ ...brass, roughness: 0.3 });
    expect(prepared().nodes[B]?.finish).toEqual({ ...cadFinish(null), roughness: 0.3 });
    desk.undo();
    expect([prepared().nodes[A]?.finish, prepared().nodes[B]?.finish]).toEqual([brass, undefined]);
  });
});

describe("alike, and copies", () => {
  test("what has the same shape is selected with it", () => {
    pick(A);
    selectSimilar(desk, "shape");
    expect(selectedKeys(desk).sort()).toEqual([A, B, BASE]);
    pick();
    selectSimilar(desk, "shape");
    expect(selectedKeys(desk)).toEqual([]);
  });
  test("a copy stands beside its original under a name of its own, and goes again with an undo", () => {
    pick(A);
    copyPart(desk);
    expect([isCopy(desk), selectionName(desk), words()]).toEqual([
      true,
      "a, copy",
      expect.stringContaining("not seen until"),
    ]);
    const [copy] = Object.values(prepared().copies);
    expect(selectedKeys(desk)).toEqual([copyKey(A, copy?.id ?? "")]);
    pick(A);
    copyPart(desk);
    expect(selectionName(desk)).toBe("a, copy 2");
    removeCopyOf(desk);
    expect(Object.keys(prepared().copies)).toEqual([copy?.id]);
    desk.undo();
    desk.undo();
    desk.undo();
    expect(prepared().copies).toEqual({});
    pick(A);
    expect(isCopy(desk)).toBe(false);
  });
});
