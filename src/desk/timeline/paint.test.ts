import { describe, expect, test } from "vitest";
import { smallIndex } from "../../../tests/support/assembly";
import { richFilm, richPreparation } from "../../../tests/support/richFilm";
import { compile } from "../../core/program/compile";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { hitAt, inBox } from "./hit";
import { lanesOf } from "./lanes";
import { paint, pinId, type Scene } from "./paint";
import { rowsOf } from "./rows";
import { snapped, snapTimes } from "./snapTimes";
import type { Inks, View } from "./view";

const film = richFilm();
const program = compile(smallIndex(), richPreparation, film);
const lanes = lanesOf(program, film);
const S = TICKS_PER_SECOND;
const INKS = Object.fromEntries(
  ["ink", "soft", "hairline", "sheet", "paper", "sunken", "working", "pale", "brick", "camera"].map((n) => [n, n]),
) as unknown as Inks;
const view: View = { perTick: 60 / S, left: 40, top: 20, width: 620, height: 260 };

const scene = (more: Partial<Scene> = {}): Scene => ({
  rows: rowsOf(program.index, lanes, new Set()),
  steps: program.steps,
  titles: program.steps.ids.map((id) => film.steps[id]?.title ?? ""),
  focusStep: "s1",
  heard: {},
  sound: null,
  rate: film.rate,
  range: null,
  markers: [{ id: "m", name: "Here", at: 3.7 * S, chosen: false }],
  pending: [1.2 * S],
  outside: [{ t0: 2 * S, t1: 3 * S }],
  findings: [],
  said: [],
  outsideLane: lanes[0]?.id ?? "",
  live: [],
  pins: new Set(),
  moves: new Set(),
  hover: null,
  shift: 0,
  box: null,
  guide: null,
  goal: null,
  span: null,
  ...more,
});

/** A canvas that writes down what is drawn, to a tenth of a pixel. */
function recorder(): { ctx: CanvasRenderingContext2D; log: string[] } {
  const log: string[] = [];
  const say = (v: unknown) =>
    typeof v === "number" ? String(Math.round(v * 10) / 10) : Array.isArray(v) ? `[${v}]` : String(v);
  const kept: Record<string, unknown> = {};
  const ctx = new Proxy(kept, {
    get: (_, name: string) =>
      name in kept
        ? kept[name]
        : name === "measureText"
          ? (t: string) => ({ width: 6 * t.length })
          : (...args: unknown[]) => log.push(`${name} ${args.map(say).join(" ")}`),
    set: (_, name: string, value) => {
      if (kept[name] !== value) log.push(`${name} = ${say(value)}`);
      kept[name] = value;
      return true;
    },
  });
  return { ctx: ctx as unknown as CanvasRenderingContext2D, log };
}

describe("what is drawn of a film with nearly everything in it is as recorded", () => {
  const pin = lanes.flatMap((l) => l.pins)[0];
  const block = lanes.flatMap((l) => l.blocks)[0];
  test.each<[string, Partial<Scene>, Partial<View>]>([
    [
      "chosen",
      {
        pins: new Set(pin ? [pinId(pin)] : []),
        moves: new Set(block ? [`${block.step}\n${block.move}`] : []),
        shift: 0.25 * S,
        box: { x0: 200, y0: 180, x1: 90, y1: 60 },
        guide: { at: 2.5 * S, label: "Here" },
        goal: 14 * S,
        span: { t0: 1 * S, t1: 4 * S },
        range: { from: 2 * S, to: 6 * S },
        live: [{ at: 3 * S, name: "Camera 2" }],
        hover: block ? `${block.step}\n${block.move}` : null,
      },
      {},
    ],
    ["near", {}, { perTick: 400 / S, left: 900, top: 0 }],
    ["far", { goal: 8 * S }, { perTick: 6 / S, left: 0, top: 60 }],
  ])("%s", async (name, more, seen) => {
    const { ctx, log } = recorder();
    paint(ctx, scene(more), { ...view, ...seen }, INKS);
    await expect(log.join("\n")).toMatchFileSnapshot(`paint-${name}.txt`);
  });
});

test("what lies under the pointer, and what a box takes in, is as recorded", async () => {
  const lines: string[] = [];
  const s = scene({ span: { t0: 1 * S, t1: 4 * S } });
  let before = "";
  for (let y = 3; y < view.height; y += 6) {
    for (let x = 1; x < view.width; x += 3) {
      const hit = JSON.stringify(hitAt(s, view, x, y), (k, v: unknown) =>
        k === "lane" || k === "block" || k === "pin"
          ? `${(v as { id?: string } | null)?.id ?? ""}${(v as { move?: string } | null)?.move ?? ""}${(v as { key?: string } | null)?.key ?? ""}`
          : v,
      );
      if (hit !== before) lines.push(`${x},${y} ${hit}`);
      before = hit;
    }
  }
  const boxed = inBox(s, view, { x0: 120, y0: 60, x1: 360, y1: 200 });
  lines.push(`box: ${boxed.pins.map((p) => p.key)} | ${boxed.blocks.map((b) => b.move)}`);
  await expect(lines.join("\n")).toMatchFileSnapshot("hits.txt");
});

test("times that a drag snaps to: steps, arrivals, moves, markers and the playhead, but not what is dragged", () => {
  const s = scene({ goal: 14 * S });
  const list = snapTimes(s, 2.2 * S, (_, move) => move === "fit");
  const near = (t: number, on = true) => snapped(list, t, s, view, on);
  expect(near(2.2 * S + 2 / view.perTick).at).toBe(2.2 * S);
  expect(near(3.7 * S - 3 / view.perTick)).toMatchObject({
    at: 3.7 * S,
    guide: { label: expect.stringContaining("Here") },
  });
  expect(near(6.8 * S + 1 / view.perTick).at).toBe(6.8 * S);
  expect(near(2.2 * S + 2 / view.perTick, false).guide).toBeNull();
  expect(list.every((x) => Number.isFinite(x.at))).toBe(true);
});
