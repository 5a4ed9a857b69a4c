import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { MadeMove, Sequence } from "../../core/document/sequence";
import { setFlag } from "../../core/edit/preparationCommands";
import { addMarker } from "../../core/edit/timing/markers";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { LANE } from "./lanes";
import { HEAD, TimelineSurface } from "./surface";

const stored = new Map<string, string>();
let frames: (() => void)[] = [];
let drawn = 0;
beforeEach(() => {
  stored.clear();
  frames = [];
  drawn = 0;
  vi.stubGlobal("localStorage", {
    getItem: (k: string) => stored.get(k) ?? null,
    setItem: (k: string, v: string) => void stored.set(k, v),
  });
  vi.stubGlobal("getComputedStyle", () => ({ getPropertyValue: () => "" }));
  vi.stubGlobal("requestAnimationFrame", (f: () => void) => frames.push(f));
  vi.stubGlobal("cancelAnimationFrame", () => {
    frames = [];
  });
});
afterEach(() => vi.unstubAllGlobals());
const nextFrame = () => {
  for (const f of frames.splice(0)) f();
};

const film = (cut = false) => {
  const s = sequenceOf([
    { "root/arm": [key("a", 1, 1, { "slide.x": 5 })], camera: [key("c", 1.5, 1, { azimuth: 60 })] },
    { "root/base": [key("b", 1, 1, { "slide.z": 5 })] },
  ]);
  if (cut && s.steps.s1) {
    s.cameras.other = { id: "other", name: "Close", home: { ...(s.cameras.main as { home: object }).home } as never };
    s.steps.s1.moves.cut = {
      ...{ id: "cut", name: "Cut", on: true, folder: null, colour: null, note: "", kind: "camera-cut" },
      ...{ start: seconds(0.25), length: 0, ease: { kind: "soft", start: 0, stop: 0 }, targets: [{ type: "picture" }] },
      settings: { camera: "other" },
    } as unknown as MadeMove;
  }
  return s;
};

/** A surface of 628 x 200 px on a desk; lanes have 600 px for the film. */
function surface(sequence: Sequence = film(), width = 628) {
  const desk: Desk = smallDesk(sequence);
  const flag = new Set<string>();
  const label = { textContent: "" };
  const context = new Proxy({} as Record<string, unknown>, {
    get: (kept, name: string) =>
      name === "measureText"
        ? (t: string) => ({ width: 6 * t.length })
        : name in kept
          ? kept[name]
          : () => {
              if (name === "setTransform") drawn++;
            },
    set: (kept, name: string, value) => {
      kept[name] = value;
      return true;
    },
  });
  const parts = {
    canvas: { style: {} as CSSStyleDeclaration, width: 0, height: 0, getContext: () => context },
    scroller: { scrollLeft: 0, scrollTop: 0 },
    spacer: { style: {} as CSSStyleDeclaration },
    over: {},
    playhead: {
      style: {} as CSSStyleDeclaration,
      querySelector: (what: string) =>
        what === ".playhead-flag"
          ? { classList: { toggle: (name: string, on: boolean) => (on ? flag.add(name) : flag.delete(name)) } }
          : label,
    },
  };
  const it = new TimelineSurface(desk, parts as never);
  it.resize(width, 200, 2);
  nextFrame();
  return { desk, it, parts, flag, label };
}

describe("what is drawn is what the desk holds", () => {
  test("steps, lanes, markers in their order and what is selected, after every act and without asking twice", () => {
    const { desk, it } = surface();
    expect(it.scene.titles).toEqual(["Step 0", "Step 1"]);
    expect(it.rows.length).toBeGreaterThan(2);
    let told = 0;
    it.onRows.add(() => told++);
    desk.edit("Marker", addMarker("late", "Late", "s1", seconds(0.5)));
    desk.edit("Marker", addMarker("soon", "Soon", "s0", seconds(2)));
    expect(told).toBe(2);
    // What is hidden moves as before: lanes stay as they are.
    desk.prepare("Hide", setFlag(["root/base"], "hidden", true));
    expect([told, desk.program.hidden[desk.index.indexOf.get("root/base") as number]]).toEqual([2, 1]);
    desk.undo();
    expect(it.scene.markers.map((m) => [m.id, m.at / seconds(1)])).toEqual([
      ["soon", 2],
      ["late", 3.5],
    ]);
    drawn = 0;
    desk.set({ range: { from: 0, to: seconds(1) } });
    desk.set({ range: { from: 0, to: seconds(2) } });
    nextFrame();
    expect([drawn, it.scene.range]).toEqual([1, { from: 0, to: seconds(2) }]);
    // The playhead is moved by itself: nothing is drawn for it.
    desk.set({ ticks: seconds(1) });
    expect(frames).toEqual([]);
    // Nor for what the timeline does not show.
    select(desk, [desk.index.indexOf.get("root/base") as number]);
    desk.set({ hover: null });
    it.dispose();
    desk.set({ range: null });
    expect(it.scene.range).not.toBeNull();
  });

  test("which camera is live is told where there are cuts; what is outside the picture stands with what shows it", () => {
    const one = surface().it;
    expect(one.scene.live).toEqual([]);
    expect(one.scene.outsideLane).toBe("c:main");
    expect(one.rows.map((r) => r.id)).toContain("c:main");
    const { it } = surface(film(true));
    expect(it.scene.live.map((l) => [l.at / seconds(1), l.name])).toEqual([
      [0, "Main camera"],
      [3.75, "Close"],
    ]);
    expect(it.scene.outsideLane).toBe("picture");
    const off = film(true);
    Object.assign(off.steps.s1?.moves.cut as MadeMove, { on: false });
    expect(surface(off).it.scene.live.map((l) => l.name)).not.toContain("Close");
  });

  test("rows that were closed stay so in this browser", () => {
    const nested = sequenceOf([
      { "root/arm/a": [key("a", 1, 1, { "slide.x": 5 })], "root/arm/b": [key("b", 1, 1, { "slide.x": 5 })] },
    ]);
    const surfaceOf = () => surface(nested);
    const { it } = surfaceOf();
    const open = it.rows.length;
    const folder = it.rows.find((r) => r.kind !== "lane");
    expect(folder).toBeDefined();
    it.toggleRow(folder?.id as string);
    expect(JSON.parse(stored.get("plextan-closed-lanes") ?? "[]")).toEqual([folder?.id]);
    const closed = it.rows.length;
    expect(closed).toBeLessThan(open);
    expect(surfaceOf().it.rows).toHaveLength(closed);
    it.toggleRow(folder?.id as string);
    expect(it.rows).toHaveLength(open);
    stored.set("plextan-closed-lanes", "not a list");
    expect(surfaceOf().it.rows).toHaveLength(open);
  });
});

describe("time and place", () => {
  test("all of the film fits at first, times lead to px and back, and sizes follow", () => {
    const { it, parts } = surface();
    expect(it.xOf(seconds(6))).toBeCloseTo(600, 6);
    expect(it.timeAt(300) / seconds(1)).toBeCloseTo(3, 6);
    expect(it.timeAt(-50)).toBe(0);
    expect(parts.canvas).toMatchObject({ width: 1256, height: 400, style: { width: "628px", height: "200px" } });
    expect(parts.spacer.style.width).toBe("628px");
    it.zoomTo(3);
    expect(parts.spacer.style.width).toBe(`${1800 + 28}px`);
    expect(Number.parseFloat(parts.spacer.style.height as string)).toBe(
      Math.max(200, HEAD + it.rows.length * LANE + 8),
    );
  });

  test("zooming keeps the time where it is, from all of it to one frame over the width, and not beyond", () => {
    const { it } = surface();
    it.zoomTo(4, 150);
    expect(it.timeAt(150) / seconds(1)).toBeCloseTo(1.5, 3);
    it.zoomBy(1000);
    // A frame of 30 in a second fills 628 px.
    expect(it.xOf(seconds(1 / 30)) - it.xOf(0)).toBeCloseTo(628, 3);
    it.zoomTo(0.01);
    expect([it.zoom, Math.round(it.xOf(seconds(6)))]).toEqual([1, 600 - it.view.left]);
    it.show({ t0: seconds(2), t1: seconds(3) });
    expect(it.xOf(seconds(2))).toBeCloseTo(it.view.width - 28 - it.xOf(seconds(3)), 0);
    expect(it.timeAt(0)).toBeGreaterThan(seconds(1.8));
    it.fitAll();
    expect(it.zoom).toBe(1);
    // With nothing selected, what is selected is all of it.
    it.fitSelection();
    expect(it.zoom).toBe(1);
  });

  test("the playhead stands at its time with the number on the side that has room, and is away where it is out of sight", () => {
    const { desk, it, parts, flag, label } = surface();
    desk.set({ ticks: seconds(1.5) });
    expect([parts.playhead.style.transform, parts.playhead.style.visibility]).toEqual(["translateX(150px)", "visible"]);
    expect([label.textContent, flag.has("left")]).toEqual(["1.500", false]);
    desk.set({ ticks: seconds(5.8) });
    expect([label.textContent, flag.has("left")]).toEqual(["5.800", true]);
    it.zoomTo(10, 0);
    expect(parts.playhead.style.visibility).toBe("hidden");
    parts.scroller.scrollLeft = 5700;
    let told = 0;
    it.onView.add(() => told++);
    it.scrolled();
    expect([told, it.view.left, parts.playhead.style.visibility]).toEqual([1, 5700, "visible"]);
  });

  test("before it has a place nothing is drawn", () => {
    const { it } = surface(film(), 0);
    expect([drawn, it.view.perTick]).toEqual([0, 0]);
  });
});
