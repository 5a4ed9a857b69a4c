import { expect, type Page, test } from "@playwright/test";
import { nth } from "../src/core/math/packed";
import { DeskPage } from "./desk";

/*
 * Usual jobs of the trade, done through the real interface and counted: a press of a shortcut, a click, a drag, a value
 * typed with Enter. What comes out is checked by numbers, and the count by its limit.
 */

const SECOND = 705_600_000;
const read = <T>(page: Page, what: string): Promise<T> =>
  page.evaluate(
    (w) => new Function("desk", `return ${w}`)((window as unknown as { plextanDesk: unknown }).plextanDesk),
    what,
  ) as Promise<T>;
const valuesAt = (page: Page, targets: object[], channel: string, seconds: number): Promise<number[]> =>
  read(
    page,
    `(desk.seek(${Math.round(seconds * SECOND)}), ${JSON.stringify(targets)}.map((t) => desk.valueOf(t, ${JSON.stringify(channel)})))`,
  );
const node = (key: string) => ({ type: "node", key });

test.describe.configure({ mode: "serial" });
let page: Page;
let desk: DeskPage;
let acts = 0;
const counted = async (what: () => Promise<unknown>) => {
  acts++;
  await what();
};
const type = (label: string, text: string) => counted(() => desk.type(label, text));
const press = (keys: string) => counted(() => desk.press(keys));

/** Opens another sequence for a job; that is not counted, nor what the job starts from. */
async function begin(name: string): Promise<void> {
  await page.getByRole("button", { name: "Sequence", exact: true }).click();
  await page.getByRole("menuitem", { name: "New sequence" }).click();
  await page.getByLabel("Sequence name").fill(name);
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Sequence", exact: true })).toHaveText(name);
  acts = 0;
}
function done(job: string, most: number): void {
  console.log(`${acts} acts (at most ${most}): ${job}`);
  expect(acts).toBeLessThanOrEqual(most);
}

test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
  page = await context.newPage();
  desk = new DeskPage(page);
  await desk.openDemo();
});
test.afterAll(() => page.context().close());

test("two screws of a kind leave side by side in 60 frames, one at steady speed, one eased", async () => {
  await begin("Two screws");
  const screws = await read<string[]>(
    page,
    `desk.index.assembly.nodes.filter((n) => n.name === "Cap screw M4x12").slice(0, 2).map((n) => n.key)`,
  );
  const [a = "", b = ""] = screws;
  await counted(() => desk.select(a));
  await counted(() => desk.part(b).click({ modifiers: ["Control"] }));
  await type("Time in step", "2.5");
  await type("Slide Z", "40");
  await type("Lead", "60f");
  await press("Control+Enter");
  const pin = await desk.mark(/^Arrival of Cap screw M4x12/, false);
  await counted(() => page.mouse.click(pin.x, pin.y));
  await counted(() => page.getByRole("button", { name: "Steady speed" }).click());
  const both = [node(a), node(b)];
  expect(await valuesAt(page, both, "slide.z", 0.5)).toEqual([0, 0]);
  expect(await valuesAt(page, both, "slide.z", 2.5)).toEqual([40, 40]);
  const quarter = (await valuesAt(page, both, "slide.z", 1)).sort((x, y) => x - y);
  expect(nth(quarter, 1)).toBeCloseTo(10, 6);
  expect(nth(quarter, 0)).toBeLessThan(8);
  done("two screws", 8);
});

test("three kept views with two seconds of still between them", async () => {
  await begin("Three views");
  const canvas = await page.getByTestId("stage-canvas").boundingBox();
  if (!canvas) throw new Error("no stage");
  const middle = { x: canvas.x + canvas.width / 2, y: canvas.y + canvas.height / 2 };
  for (const [i, time] of ["1.4", "4.3", "7.2"].entries()) {
    await type("Sequence time", time);
    await counted(() => desk.drag({ x: middle.x, y: canvas.y + 120 }, 60 + 20 * i, 10, undefined));
    await press("Control+Shift+Enter");
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
  done("three views", 10);
});

test("uneven strokes of a lever made equal", async () => {
  await begin("Lever");
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
  acts = 0;
  const pin = await desk.mark(/^Arrival of Lid/, false);
  await counted(() => page.mouse.click(pin.x, pin.y));
  await counted(() => page.keyboard.press("Control+a"));
  await counted(() => page.getByRole("button", { name: "Equal speed" }).click());
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
  done("equal strokes", 3);
});
