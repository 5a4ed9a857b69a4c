import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, preparation, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import {
  addKind,
  changeOutput,
  changeRange,
  copyOutput,
  dropOutput,
  fileName,
  keepOffered,
  nameOutput,
  offeredOutput,
  outputsOf,
  planned,
} from "../acts/outputs";
import type { Desk } from "../port";
import { madeOf, makingKey, Publishing, quickly } from "./publishing";

let desk: Desk;
/** Workers that were started, with what each was asked. */
let workers: {
  asked: { id: number; name: string; input: unknown }[];
  onmessage: ((e: { data: object }) => void) | null;
  ended: boolean;
}[] = [];
beforeEach(() => {
  workers = [];
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal(
    "Worker",
    class {
      asked: { id: number; name: string; input: unknown }[] = [];
      onmessage: ((e: { data: object }) => void) | null = null;
      ended = false;
      constructor() {
        workers.push(this);
      }
      postMessage(m: { id: number; name: string; input: unknown }) {
        this.asked.push(m);
      }
      terminate() {
        this.ended = true;
      }
    },
  );
  vi.spyOn(URL, "createObjectURL").mockImplementation(() => "blob:made");
  vi.spyOn(URL, "revokeObjectURL").mockImplementation(() => {});
  desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.8, { "turn.x": 90 })] }, {}]), preparation());
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});
const settle = () => new Promise((r) => setTimeout(r));
const answer = async (n: number, name: string, value: unknown) => {
  const w = workers[n];
  const asked = w?.asked.findLast((a) => a.name === name);
  w?.onmessage?.({ data: { id: asked?.id, value } });
  await settle();
};
const state = (id: string) => desk.state.making[makingKey(desk, id)];

describe("outputs of a sequence", () => {
  test("one is offered while there is none, and kept once it is changed or made", () => {
    const it = offeredOutput(desk);
    expect(offeredOutput(desk)).toBe(it);
    expect(outputsOf(desk)).toEqual([]);
    changeOutput(desk, it, { width: 640 });
    expect(outputsOf(desk)).toMatchObject([{ id: it.id, name: "Video", settings: { width: 640 } }]);
    keepOffered(desk, it);
    expect(outputsOf(desk)).toHaveLength(1);
    desk.undo();
    desk.undo();
    expect(outputsOf(desk)).toEqual([]);
    expect(offeredOutput(desk).id).not.toBe(it.id);
  });
  test("are added, copied, renamed, and removed; names are one's own", () => {
    const id = addKind(desk, "still") as string;
    const [still] = outputsOf(desk);
    if (!still) throw new Error("none");
    expect(still.name).toBe("Still");
    copyOutput(desk, still);
    expect(outputsOf(desk).map((o) => o.name)).toEqual(["Still", "Still 2"]);
    expect(nameOutput(desk, still, "Still 2")).toBe(false);
    expect(desk.state.notice?.text).toContain("already");
    expect(nameOutput(desk, still, "Cover / front")).toBe(true);
    changeRange(desk, still, { of: "steps", first: "s1", last: "s1" });
    const now = outputsOf(desk).find((o) => o.id === id);
    const plan = now && planned(desk, now);
    expect(plan?.context?.range.from).toBe(desk.program.steps.start[1]);
    expect(plan && fileName(desk, plan)).toMatch(/ - Cover _ front\.png$/);
    dropOutput(desk, still);
    expect(outputsOf(desk).map((o) => o.name)).toEqual(["Still 2"]);
    expect(planned(desk, { ...still, kind: "hologram" })).toBeNull();
  });
  test("a new one is of what is played alone", () => {
    desk.set({ range: { from: 100, to: 705_600_000 } });
    expect(offeredOutput(desk).range).toEqual({ of: "time", from: 100, to: 705_600_000 });
  });
  test("outputs and what is meant so change nothing of the film: nothing is compiled for them", () => {
    const before = desk.program;
    const rows = desk.program.placed.get("n:root/arm");
    addKind(desk, "video");
    expect(desk.program).toBe(before);
    expect(desk.program.placed.get("n:root/arm")).toBe(rows);
  });
});

describe("making outputs", () => {
  test("one after another, each in a worker of its own, told how far it is", async () => {
    const publishing = new Publishing(desk, { origin: () => "http://here", fontUrl: () => "font.woff2" });
    for (const kind of ["captions", "scene"]) addKind(desk, kind);
    const [a, b] = outputsOf(desk);
    if (!a || !b) throw new Error("none");
    publishing.make(a, "a.vtt");
    publishing.make(b, "b.glb");
    expect([state(a.id)?.state, state(b.id)?.state]).toEqual(["busy", "waiting"]);
    expect(workers).toHaveLength(1);
    await answer(0, "font", undefined);
    const asked = workers[0]?.asked.findLast((m) => m.name === "make");
    expect(asked?.input).toMatchObject({ output: { id: a.id }, plain: false });
    expect(workers[0]?.asked.map((m) => m.name)).toEqual(["open", "font", "film", "make"]);
    workers[0]?.onmessage?.({ data: { id: asked?.id, told: { share: 0.1, what: "frame 1 of 10" } } });
    expect(state(a.id)).toMatchObject({ state: "busy", share: 0.1, what: "frame 1 of 10" });
    await answer(0, "make", { file: new Blob(["WEBVTT"], { type: "text/vtt" }), checked: ["2 captions"] });
    expect(state(a.id)).toMatchObject({
      state: "done",
      name: "a.vtt",
      size: 6,
      checked: ["2 captions"],
      url: "blob:made",
    });
    expect(workers[0]?.ended).toBe(true);
    expect(state(b.id)?.state).toBe("busy");
    // What was made is no longer what would be made once the film is another.
    const made = state(a.id);
    expect(made?.state === "done" && made.of).toBe(madeOf(desk, a));
    nameOutput(desk, a, "Words");
    expect(made?.state === "done" && made.of).toBe(madeOf(desk, { ...a, name: "Words" }));
    desk.edit("title", (d) => {
      if (d.steps.s0) d.steps.s0.caption = "Other";
    });
    expect(made?.state === "done" && made.of).not.toBe(madeOf(desk, a));
    publishing.dispose();
  });
  test("is stopped, before it begins as well, and the next goes on; a failure is said", async () => {
    const publishing = new Publishing(desk, { origin: () => "http://here", fontUrl: () => null });
    for (const kind of ["captions", "scene", "video"]) addKind(desk, kind);
    const [a, b, c] = outputsOf(desk);
    if (!a || !b || !c) throw new Error("none");
    for (const o of [a, b, c]) publishing.make(o, "x");
    publishing.stop(b.id);
    expect(state(b.id)).toBeUndefined();
    publishing.stop(a.id);
    expect(state(a.id)).toBeUndefined();
    await settle();
    expect(workers[0]?.ended).toBe(true);
    expect(state(c.id)?.state).toBe("busy");
    const asked = workers[1]?.asked.findLast((m) => m.name === "make");
    workers[1]?.onmessage?.({ data: { id: asked?.id, fault: { name: "Refusal", message: "No encoder here." } } });
    await settle();
    expect(state(c.id)).toEqual({ state: "failed", message: "No encoder here." });
    // Made again it begins anew.
    publishing.make(c, "x");
    expect(state(c.id)?.state).toBe("busy");
    publishing.dispose();
  });
  test("a quick look is a quarter of the size, even, and no smaller than can be made", () => {
    const output = {
      ...offeredOutput(desk),
      settings: { width: 1280, height: 722, fineness: 3, blur: 16, quality: 0.1 },
    };
    expect(quickly(output).settings).toEqual({ width: 320, height: 180, fineness: 1, blur: 1, quality: 0.1 });
    expect(quickly({ ...output, settings: { width: 20, height: 20 } }).settings).toMatchObject({
      width: 16,
      height: 16,
    });
  });
});
