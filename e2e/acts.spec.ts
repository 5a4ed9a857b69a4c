import { nth } from "../src/core/math/packed";
import { Counting, read, SECOND, valuesAt } from "./counting";
import { DeskPage } from "./desk";
import { expect, type Page, test } from "./test";

/*
 * Usual jobs of the trade, done through the real interface and counted: a press of a shortcut, a click, a drag, a value
 * typed with Enter. What comes out is checked by numbers, and the count by its limit.
 */

const node = (key: string) => ({ type: "node", key });

test.describe.configure({ mode: "serial" });
let page: Page;
let desk: DeskPage;
let count: Counting;

test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
  page = await context.newPage();
  desk = new DeskPage(page);
  await desk.openDemo();
  count = new Counting(page, desk);
});
test.afterAll(() => page.context().close());

test("two screws of a kind leave side by side in 60 frames, one at steady speed, one eased", async () => {
  await count.begin("Two screws");
  const screws = await read<string[]>(
    page,
    `desk.index.assembly.nodes.filter((n) => n.name === "Cap screw M4x12").slice(0, 2).map((n) => n.key)`,
  );
  const [a = "", b = ""] = screws;
  await count.act(() => desk.select(a));
  await count.act(() => desk.part(b).click({ modifiers: ["Control"] }));
  await count.type("Time in step", "2.5");
  await count.type("Slide Z", "40");
  await count.type("Lead", "60f");
  await count.press("Control+Enter");
  const pin = await desk.mark(/^Arrival of Cap screw M4x12/, false);
  await count.act(() => page.mouse.click(pin.x, pin.y));
  await count.act(() => page.getByRole("button", { name: "Steady speed" }).click());
  const both = [node(a), node(b)];
  expect(await valuesAt(page, both, "slide.z", 0.5)).toEqual([0, 0]);
  expect(await valuesAt(page, both, "slide.z", 2.5)).toEqual([40, 40]);
  const quarter = (await valuesAt(page, both, "slide.z", 1)).sort((x, y) => x - y);
  expect(nth(quarter, 1)).toBeCloseTo(10, 6);
  expect(nth(quarter, 0)).toBeLessThan(8);
  count.done("two screws", 8);
});

test("three kept views with two seconds of still between them", async () => {
  await count.begin("Three views");
  const canvas = await page.getByTestId("stage-canvas").boundingBox();
  if (!canvas) throw new Error("no stage");
  const middle = { x: canvas.x + canvas.width / 2, y: canvas.y + canvas.height / 2 };
  for (const [i, time] of ["1.4", "4.3", "7.2"].entries()) {
    await count.type("Sequence time", time);
    await count.act(() => desk.drag({ x: middle.x, y: canvas.y + 120 }, 60 + 20 * i, 10, undefined));
    await count.press("Control+Shift+Enter");
  }
  const camera = { type: "camera", id: await read<string>(page, "desk.sequence.camera") };
  for (const [from, to] of [
    [1.4, 3.4],
    [4.3, 6.3],
  ] as const) {
    const [start, end, later] = [
      nth(await valuesAt(page, [camera], "azimuth", from), 0),
      nth(await valuesAt(page, [camera], "azimuth", to - 0.001), 0),
      nth(await valuesAt(page, [camera], "azimuth", to + 0.45), 0),
    ];
    expect(end).toBeCloseTo(start, 9);
    expect(Math.abs(later - end)).toBeGreaterThan(0.5);
  }
  count.done("three views", 10);
});

test("uneven strokes of a lever made equal", async () => {
  await count.begin("Lever");
  const lid = "Rill H2/Lid";
  await desk.select(lid);
  for (const [t, v] of [
    ["1", "10"],
    ["1.3", "-10"],
    ["3.1", "10"],
  ] as const) {
    await desk.type("Time in step", t);
    await desk.type("Slide X", v);
    await desk.press("Control+Enter");
  }
  count.acts = 0;
  const pin = await desk.mark(/^Arrival of Lid/, false);
  await count.act(() => page.mouse.click(pin.x, pin.y));
  await count.act(() => page.keyboard.press("Control+a"));
  await count.act(() => page.getByRole("button", { name: "Equal speed" }).click());
  const move = `Object.values(desk.body().steps[desk.body().stepOrder[0]].moves)[0]`;
  const times = await read<number[]>(page, `Object.values(${move}.keys).map((k) => k.at).sort((a, b) => a - b)`);
  const leads = await read<number[]>(
    page,
    `Object.values(${move}.keys).sort((a, b) => a.at - b.at).map((k) => k.lead)`,
  );
  // 10, 20 and 20 mm at one speed, from where the first set off.
  expect(nth(leads, 1) / nth(leads, 0)).toBeCloseTo(2, 3);
  expect(nth(leads, 2) / nth(leads, 1)).toBeCloseTo(1, 3);
  expect(nth(times, 2)).toBe(Math.round(2.6 * SECOND));
  count.done("equal strokes", 3);
});
