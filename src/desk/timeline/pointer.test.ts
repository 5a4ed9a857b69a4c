import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { sound } from "../../../tests/support/sound";
import { addSound } from "../../core/edit/soundCommands";
import { selectAll, selectedSpan, selectTimed } from "../acts/timingActions";
import type { Desk } from "../port";
import { hitAt } from "./hit";
import { Lanes } from "./lanes";
import { HEAD, type Scene } from "./paint";
import { TimelinePointer } from "./pointer";
import { rowsOf } from "./rows";
import { soundRows } from "./sounds";
import type { TimelineSurface } from "./surface";
import type { View } from "./view";

const A = "root/arm/a";
const B = "root/arm/b";
/** Middle of the upper half of a lane, by its row. */
const row = (i: number) => HEAD + 26 * i + 8;
const PER_SECOND = 100;

let desk: Desk;
let canvas: EventTarget & { style: { cursor?: string }; title: string };
let scene: Scene;
let pointer: TimelinePointer;
let shown: { t0: number; t1: number } | null;

/** As the surface keeps it up to date. */
function relist(): void {
  const keys =
    desk.state.pins.length > 0 ? desk.state.pins : desk.state.focus.kind === "key" ? [desk.state.focus.ref] : [];
  Object.assign(scene, {
    rows: [
      ...soundRows(desk.sequence, desk.program.steps),
      ...rowsOf(desk.index, new Lanes().update(desk.program, desk.sequence), new Set()),
    ],
    steps: desk.program.steps,
    range: desk.state.range,
    pins: new Set(keys.map((k) => `${k.step}\n${k.key}`)),
    moves: new Set(desk.state.marked.map((m) => `${m.step}\n${m.move}`)),
    span: desk.state.pins.length > 1 ? selectedSpan(desk) : null,
    markers: Object.values(desk.sequence.markers).map((m) => ({ id: m.id, name: m.name, at: m.at, chosen: false })),
  });
}

beforeEach(() => {
  const page = new EventTarget();
  vi.stubGlobal("window", page);
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(
    sequenceOf([
      {
        [A]: [key("a1", 0.5, 0.3, { "slide.x": 5 }), key("a2", 1.5, 0.3, { "slide.x": 9 })],
        [B]: [key("b1", 1, 0.2, { "slide.y": 3 })],
      },
      {},
    ]),
  );
  canvas = Object.assign(new EventTarget(), {
    getBoundingClientRect: () => ({ left: 0, top: 0 }),
    setPointerCapture: () => {},
    focus: () => {},
    style: {} as { cursor?: string },
    title: "",
  });
  scene = {
    ...{
      rows: [],
      steps: desk.program.steps,
      titles: [],
      focusStep: null,
      rate: desk.sequence.rate,
      range: null,
      markers: [],
      pending: [],
      outside: [],
      findings: [],
      said: [],
      outsideLane: "",
    },
    ...{
      live: [],
      pins: new Set<string>(),
      moves: new Set<string>(),
      hover: null,
      shift: 0,
      box: null,
      guide: null,
      goal: null,
      span: null,
      heard: {},
      sound: null,
    },
  };
  const view: View = { perTick: PER_SECOND / seconds(1), left: 0, top: 0, width: 700, height: 300 };
  shown = null;
  const surface = {
    ...{ desk, scene, view, parts: { canvas } },
    hit: (x: number, y: number) => hitAt(scene, view, x, y),
    timeAt: (x: number) => x / view.perTick,
    invalidate: () => {},
    show: (span: { t0: number; t1: number }) => {
      shown = span;
    },
  } as unknown as TimelineSurface;
  relist();
  pointer = new TimelinePointer(surface);
  desk.store.subscribe(relist);
});
afterEach(() => {
  pointer.dispose();
  vi.unstubAllGlobals();
});

const send = (type: string, x: number, y: number, held: Partial<MouseEvent> = {}) =>
  canvas.dispatchEvent(
    Object.assign(new Event(type), {
      button: 0,
      pointerId: 1,
      clientX: x,
      clientY: y,
      ctrlKey: false,
      metaKey: false,
      shiftKey: false,
      altKey: false,
      ...held,
    }),
  );
const click = (x: number, y: number, held: Partial<MouseEvent> = {}) => {
  send("pointerdown", x, y, held);
  send("pointerup", x, y, held);
};
const drag = (x0: number, y0: number, x1: number, y1 = y0, held: Partial<MouseEvent> = {}) => {
  send("pointerdown", x0, y0, held);
  send("pointermove", (x0 + x1) / 2, (y0 + y1) / 2, held);
  send("pointermove", x1, y1, held);
  send("pointerup", x1, y1, held);
};
const giveUp = () =>
  (globalThis as unknown as { window: EventTarget }).window.dispatchEvent(
    Object.assign(new Event("keydown", { cancelable: true }), { key: "Escape" }),
  );
const keyOf = (k: string) =>
  Object.values(desk.body().steps.s0?.moves ?? {})
    .flatMap((m) => (m.kind === "hand" ? Object.values(m.keys) : []))
    .find((x) => x.id === k);
const atOf = (k: string) => (keyOf(k)?.at ?? Number.NaN) / seconds(1);
/** Arrivals lie half a second of still later on the page than in their step. */
const px = (s: number) => (s + 0.5) * PER_SECOND;

describe("recordings", () => {
  const voice = () => desk.body().sounds?.v;
  const place = () => [voice()?.step, (voice()?.at ?? 0) / seconds(1)];
  // The lane of sounds is the first, and the voice on it lies from one second to three.
  const y = row(0);
  beforeEach(() => {
    desk.edit("Say", addSound(sound("v", 2, "s0", 1)));
  });

  test("a click chooses one, a drag moves it into another step as one act", () => {
    click(2 * PER_SECOND, y);
    expect(desk.state.focus).toEqual({ kind: "sound", id: "v" });
    drag(2 * PER_SECOND, y, 4.2 * PER_SECOND, y, { altKey: true });
    expect(place()).toEqual(["s1", expect.closeTo(0.2, 6)]);
    expect(desk.state.undoLabel).toBe('Move recording "v"');
    desk.undo();
    expect(place()).toEqual(["s0", 1]);
  });
  test("it catches on what is there, and Escape leaves it where it was", () => {
    drag(2 * PER_SECOND, y, 4.02 * PER_SECOND, y);
    expect(place()).toEqual(["s1", 0]);
    desk.undo();
    send("pointerdown", 2 * PER_SECOND, y);
    send("pointermove", 4 * PER_SECOND, y);
    giveUp();
    expect(place()).toEqual(["s0", 1]);
  });
  test("its ends trim it; no more comes out than was recorded, and it does not begin before its step", () => {
    drag(PER_SECOND, y, 1.5 * PER_SECOND, y, { altKey: true });
    expect([voice()?.from, voice()?.at]).toEqual([seconds(0.5), seconds(1.5)]);
    // While it is held, the guide stands where the recording will begin.
    send("pointerdown", 1.5 * PER_SECOND, y, { altKey: true });
    send("pointermove", 1.8 * PER_SECOND, y, { altKey: true });
    expect((scene.guide?.at ?? 0) / seconds(1)).toBeCloseTo(1.8, 2);
    giveUp();
    drag(3 * PER_SECOND, y, 2.5 * PER_SECOND, y, { altKey: true });
    expect(voice()?.to).toBe(seconds(1.5));
    drag(2.5 * PER_SECOND, y, 5.9 * PER_SECOND, y, { altKey: true });
    expect(voice()?.to).toBe(seconds(2));
    drag(1.5 * PER_SECOND, y, 0, y, { altKey: true });
    expect([voice()?.from, voice()?.at]).toEqual([0, seconds(1)]);
  });
});

describe("pins", () => {
  test("are dragged as one act that undo takes back; less than three pixels is a click", () => {
    send("pointerdown", px(0.5), row(1));
    send("pointermove", px(0.5) + 2, row(1));
    send("pointerup", px(0.5) + 2, row(1));
    expect([atOf("a1"), desk.state.undoLabel]).toEqual([0.5, null]);
    drag(px(0.5), row(1), px(0.8));
    expect(atOf("a1")).toBeCloseTo(0.8, 6);
    expect(desk.state.undoLabel).toMatch(/^Move /);
    desk.undo();
    expect([atOf("a1"), desk.state.undoLabel]).toEqual([0.5, null]);
  });
  test("snap to what is near and say to what; a held Alt leaves them between frames", () => {
    send("pointerdown", px(0.5), row(1));
    send("pointermove", px(0.98), row(1));
    expect(scene.guide?.label).toContain("arrival");
    send("pointerup", px(0.98), row(1));
    expect(atOf("a1")).toBe(1);
    expect(scene.guide).toBeNull();
    drag(px(1), row(1), px(1.213), row(1), { altKey: true });
    expect(atOf("a1")).toBeCloseTo(1.213, 6);
  });
  test("never go before their step; Escape takes a drag back and stores nothing", () => {
    drag(px(0.5), row(1), px(-3));
    expect(atOf("a1")).toBe(0);
    desk.undo();
    const before = desk.body();
    send("pointerdown", px(0.5), row(1));
    send("pointermove", px(1.2), row(1));
    const [step] = desk.sequence.stepOrder;
    expect(
      Object.values(desk.sequence.steps[step as string]?.moves ?? {}).some(
        (m) => m.kind === "hand" && m.keys.a1?.at === seconds(1.2),
      ),
    ).toBe(true);
    giveUp();
    send("pointerup", px(1.2), row(1));
    expect(desk.body()).toBe(before);
    expect(desk.sequence.steps).toEqual(before.steps);
  });
  test("are added and taken away with Ctrl, and dragged together", () => {
    click(px(0.5), row(1));
    click(px(1), row(2), { ctrlKey: true });
    expect(desk.state.pins.map((p) => p.key)).toEqual(["a1", "b1"]);
    drag(px(1), row(2), px(1.2));
    expect([atOf("a1"), atOf("b1")]).toEqual([0.7, 1.2].map((v) => expect.closeTo(v, 6)));
    click(px(1.2), row(2), { ctrlKey: true });
    expect(desk.state.pins.map((p) => p.key)).toEqual(["a1"]);
  });
  test("a double click puts the playhead there; on a step it fills the width", () => {
    send("dblclick", px(1.5), row(1));
    expect(desk.state.ticks).toBe(seconds(2));
    send("dblclick", 120, 10);
    expect(shown).toEqual({ t0: 0, t1: seconds(3) });
  });
});

describe("ends, stills and the bracket", () => {
  test("the end of a move drawn out with Shift does it again, in whole cycles; drawn back it is done once", () => {
    desk.edit("turn", (draft) => {
      const step = draft.steps.s0;
      if (!step) return;
      step.moves.t = {
        ...{ id: "t", name: "b: turn", on: true, folder: null, colour: null, note: "", kind: "turn" },
        ...{ start: 0, length: seconds(0.4), ease: { kind: "soft", start: 0, stop: 0 } },
        targets: [{ type: "node", key: B }],
        settings: { axis: "turn.z", joints: [], way: "by", degrees: 90 },
      };
    });
    const repeat = () => desk.body().steps.s0?.moves.t?.repeat;
    send("pointerdown", px(0.4), row(1));
    send("pointermove", px(1), row(1), { shiftKey: true });
    send("pointermove", px(1.62), row(1), { shiftKey: true });
    expect(scene.guide?.label).toBe("4 times");
    send("pointerup", px(1.62), row(1), { shiftKey: true });
    expect(repeat()).toEqual({ times: 4, period: null, way: "same" });
    drag(px(1.6), row(1), px(0.45), row(1), { shiftKey: true });
    expect(repeat()).toBeUndefined();
  });
  test("so does a move by hand, at its last arrival; a pin before that is only moved", () => {
    const move = () => Object.values(desk.body().steps.s0?.moves ?? {}).find((m) => m.kind === "hand" && m.keys.a2);
    drag(px(1.5), row(1), px(4.1), row(1), { shiftKey: true });
    // From 0.2 s to 1.5 s, three times.
    expect(move()?.repeat).toEqual({ times: 3, period: null, way: "same" });
    desk.undo();
    drag(px(0.5), row(1), px(0.8), row(1), { shiftKey: true });
    expect([move()?.repeat, atOf("a1")]).toEqual([undefined, expect.closeTo(0.8, 6)]);
  });
  test("scaled times that come to lie between frames are told, with the way to mend it", () => {
    selectAll(desk);
    drag((scene.span?.t1 ?? 0) / (seconds(1) / PER_SECOND), HEAD - 4, 217, HEAD - 4, { altKey: true });
    expect(desk.state.notice?.text).toMatch(/lie between frames now/);
  });
  test("the beginning of a lead is dragged; the arrival stays", () => {
    drag(px(0.2), row(1) + 12, px(0));
    expect([atOf("a1"), Number(keyOf("a1")?.lead ?? 0) / seconds(1)]).toEqual([0.5, expect.closeTo(0.5, 6)]);
  });
  test("an end of a still changes the still, to a frame, and says how long it is", () => {
    send("pointerdown", 299, 10);
    send("pointermove", 340, 10);
    expect(scene.guide?.label).toBe("still after 0.9 s");
    send("pointerup", 340, 10);
    expect(desk.body().steps.s0?.stillAfter).toBe(seconds(0.9));
    drag(50, 10, -200);
    expect(desk.body().steps.s0?.stillBefore).toBe(0);
  });
  test("drawing out the bracket scales about its other end, with Shift about the playhead", () => {
    selectAll(desk);
    const span = scene.span as { t0: number; t1: number };
    const x = (t: number) => (t / seconds(1)) * PER_SECOND;
    drag(x(span.t1) + 1, HEAD - 4, x(span.t1 + (span.t1 - span.t0)) + 1);
    const first = 0.2;
    expect([atOf("a1"), atOf("a2"), atOf("b1")]).toEqual(
      [0.5, 1.5, 1].map((v) => expect.closeTo(first + 2 * (v - first), 1)),
    );
    expect(desk.state.undoLabel).toMatch(/^Scale 3 arrivals by 2\.0/);
  });
});

describe("the rest of the surface", () => {
  test("the ruler scrubs in whole frames; with Shift it chooses what is played", () => {
    drag(100, 40, 151);
    expect(desk.state.ticks).toBe(Math.round(seconds(45 / 30)));
    drag(200, 40, 100, 40, { shiftKey: true });
    expect(desk.state.range).toEqual({ from: seconds(1), to: seconds(2) });
    send("pointerdown", 300, 40, { shiftKey: true });
    send("pointermove", 350, 40, { shiftKey: true });
    giveUp();
    expect(desk.state.range).toEqual({ from: seconds(1), to: seconds(2) });
  });
  test("a box takes what lies in it; a click on nothing lets go and puts the playhead there", () => {
    drag(px(0.3), row(1) - 6, px(1.1), row(2) + 14);
    expect(desk.state.pins.map((p) => p.key)).toEqual(["a1", "b1"]);
    click(px(0.75), row(1));
    expect([desk.state.pins, desk.state.ticks]).toEqual([[], seconds(38 / 30)]);
  });
  test("a marker is dragged into the step it is let go over", () => {
    desk.edit("marker", (d) => {
      d.markers.m = { id: "m", name: "Seated", step: "s0", at: seconds(1) };
    });
    drag(100, 40, 420);
    expect(desk.body().markers.m).toMatchObject({ step: "s1", at: expect.closeTo(seconds(1.2), -6) });
  });
  test("what can be dragged says so under the pointer", () => {
    send("pointermove", 299, 10);
    expect([canvas.title, canvas.style.cursor]).toEqual(["Drag to change the still after", "ew-resize"]);
    send("pointermove", px(0.5), row(1));
    expect(scene.hover).toBe("s0\na1");
    send("pointermove", px(0.9), row(2) + 200);
    expect([scene.hover, canvas.style.cursor]).toEqual([null, "default"]);
    selectTimed(desk, [], []);
  });
});
