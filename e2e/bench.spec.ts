import { Counting, read, SECOND, valuesAt } from "./counting";
import { DeskPage } from "./desk";
import { expect, type Page, test } from "./test";

/*
 * Usual jobs of the trade on a workbench of small mechanisms, done through the real interface and counted: a press of
 * a shortcut, a click, a drag, a menu choice, a value typed with Enter. What comes out is checked by numbers, and the
 * count by its limit.
 */

const node = (key: string) => ({ type: "node", key: `Workbench/${key}` });

test.describe.configure({ mode: "serial" });
let page: Page;
let desk: DeskPage;
let count: Counting;

test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
  page = await context.newPage();
  desk = await DeskPage.newProject(page, "Workbench");
  await desk.bringIn("e2e/workbench.step");
  count = new Counting(page, desk);
});
test.afterAll(() => page.context().close());

/** Selects a part in the tree; with `more` beside those selected. */
const pick = (key: string, more = false) =>
  count.act(() =>
    more ? desk.part(`Workbench/${key}`).click({ modifiers: ["Control"] }) : desk.select(`Workbench/${key}`),
  );
const option = (name: string | RegExp) => count.act(() => page.getByRole("menuitem", { name }).first().click());
const joint = (key: string) =>
  read<string>(
    page,
    `Object.values(desk.state.preparation.body.joints).find((j) => j.target.key === ${JSON.stringify(`Workbench/${key}`)}).id`,
  );
/** Makes a move by its phrase. */
const move = async (phrase: string) => {
  await count.press("Alt+m");
  await count.act(async () => {
    await page.getByLabel("Find a move").fill(phrase);
    await page.keyboard.press("Control+Enter");
  });
};

test("a sequence with nothing in it changes its rate without a question, and lies on the new frames", async () => {
  await count.begin("Rate");
  await page.getByRole("button", { name: /30 fps/ }).click();
  await desk.choose("Frame rate", "23.976 fps");
  await page.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("button", { name: /23\.976 fps/ })).toBeVisible();
  await expect(page.getByText("Times between frames")).toHaveCount(0);
  const perFrame = Math.round((SECOND * 1001) / 24_000);
  for (const t of await read<number[]>(page, "[...desk.program.steps.start, desk.program.steps.length]"))
    expect(t % perFrame).toBe(0);
});

test("a stirrer on a tilted shaft, turning for ever", async () => {
  await count.begin("Stirrer");
  await pick("Stirrer");
  await move("spin 1 turn in 2 s for good steady");
  const channel = `joint.${await joint("Stirrer")}`;
  for (const t of [1, 2.25, 2.9])
    expect((await valuesAt(page, [node("Stirrer")], channel, t))[0]).toBeCloseTo(180 * (t - 0.5), 6);
  // About its tilted axis: the shaft's own ends stay where they are.
  await read(page, `desk.seek(${1.2 * SECOND})`);
  const m = await desk.matrix("Workbench/Stirrer/Shaft");
  expect(m[8]).toBeCloseTo(Math.sin((25 * Math.PI) / 180), 6);
  expect([m[12], m[14]].map((v) => Math.round((v ?? 0) * 1e6) / 1e6)).toEqual([265, 12]);
  count.done("stirrer", 6);
});

test("the drums of a counter at 1 : 10 : 100, each about its own axle, for a minute", async () => {
  await count.begin("Drums");
  for (const [drum, turns] of [
    ["Drum of ones", 100],
    ["Drum of tens", 10],
    ["Drum of hundreds", 1],
  ] as const) {
    await pick(`Counter/${drum}`);
    if (turns < 100) await count.type("Time in step", "0");
    await move(`spin ${turns} turns in 60 s steady`);
  }
  for (const [drum, turns] of [
    ["Drum of ones", 100],
    ["Drum of tens", 10],
    ["Drum of hundreds", 1],
  ] as const) {
    const key = `Counter/${drum}`;
    const channel = `joint.${await joint(key)}`;
    for (const t of [0, 6, 60])
      expect((await valuesAt(page, [node(key)], channel, 0.5 + t))[0]).toBeCloseTo(6 * turns * t, 6);
  }
  count.done("counter drums", 16);
});

test("a float through seven positions, three channels each", async () => {
  await count.begin("Float");
  await pick("Float");
  const places = [
    [0.9, "4 0 10"],
    [1.3, "7 2 18"],
    [1.8, "3 5 26"],
    [2.4, "-2 6 30"],
    [3, "-5 3 24"],
    [3.5, "-3 1 12"],
    [4, "0 0 0"],
  ] as const;
  for (const [at, to] of places) {
    await count.type("Time in step", String(at));
    await count.type("Slide X", to);
  }
  await count.act(() => page.getByRole("checkbox", { name: "from the one before" }).click());
  await count.press("Control+Enter");
  for (const [at, to] of places)
    for (const [i, axis] of ["x", "y", "z"].entries())
      expect((await valuesAt(page, [node("Float")], `slide.${axis}`, at))[0]).toBeCloseTo(Number(to.split(" ")[i]), 9);
  count.done("float", 20);
});

test("two clamp jaws, mirror images, opening and closing three times at steady speed", async () => {
  await count.begin("Jaws");
  await pick("Left jaw");
  await count.act(() => page.getByRole("tab", { name: "Joints" }).click());
  await count.click("Add a joint");
  await option("Hinge about its own axis");
  await pick("Right jaw");
  await count.click("Add a joint");
  // One choice of the menu, behind a word where there are many joints.
  await count.act(async () => {
    await page.getByRole("menuitem", { name: "Mirror image of" }).hover();
    await page.getByRole("menuitem", { name: "Left jaw hinge" }).first().click();
  });
  await pick("Left jaw", true);
  await move("drive -25 and back in 0.5 s 3 times steady");
  const jaws = ["Left jaw", "Right jaw"] as const;
  const channels = await Promise.all(jaws.map(async (j) => `joint.${await joint(j)}`));
  for (const [t, angle] of [
    [0.75, -12.5],
    [1, -25],
    [1.25, -12.5],
    [1.5, 0],
    [2, -25],
    [3, -25],
    [3.5, 0],
  ] as const)
    for (const [i, jaw] of jaws.entries())
      expect((await valuesAt(page, [node(jaw)], channels[i] ?? "", t))[0]).toBeCloseTo(angle, 6);
  await read(page, `desk.seek(${SECOND})`);
  const middle = (jaw: string) =>
    read<[number, number, number]>(
      page,
      `(desk.view.draw(), desk.view.pointing.middleOf(desk.index.indexOf.get("Workbench/${jaw}")))`,
    );
  // Mirrored about x = -100, and well open.
  const [left, right] = [await middle("Left jaw"), await middle("Right jaw")];
  expect(left[0] + right[0]).toBeCloseTo(-200, 6);
  expect(left[2]).toBeCloseTo(right[2], 6);
  expect(Math.abs(left[0] + 114.5)).toBeGreaterThan(4);
  count.done("clamp jaws", 14);
});

test("a hose end led around a post, turned half round on its way", async () => {
  await count.begin("Hose");
  await pick("Hose end");
  const places = [
    [1, "24 -30 0"],
    [1.8, "60 -26 0"],
    [2.4, "66 6 0"],
    [3, "36 34 0"],
  ] as const;
  for (const [at, to] of places) {
    await count.type("Time in step", String(at));
    await count.type("Slide X", to);
  }
  await count.type("Turn Z", "180");
  await count.act(() => page.getByRole("checkbox", { name: "from the one before" }).click());
  await count.press("Control+Enter");
  // Never through the post: its axis is at 0, 0 and the hose end's middle begins at -38, 0.
  for (let t = 0.5; t <= 3; t += 0.1) {
    const [x = 0] = await valuesAt(page, [node("Hose end")], "slide.x", t);
    const [y = 0] = await valuesAt(page, [node("Hose end")], "slide.y", t);
    expect(Math.hypot(x - 38, y)).toBeGreaterThan(20);
  }
  expect((await valuesAt(page, [node("Hose end")], "turn.z", 3))[0]).toBe(180);
  expect((await valuesAt(page, [node("Hose end")], "turn.z", 1.6))[0]).toBeGreaterThan(20);
  count.done("hose", 12);
});

test("three valve parts drawn out, each a little later, eased, in a folder, and back", async () => {
  await count.begin("Valve");
  for (const [part, way] of [
    ["Cap", 90],
    ["Spring seat", 60],
    ["Stem", 40],
  ] as const) {
    await pick(`Valve/${part}`);
    await move(`slide ${way} in 1 s`);
  }
  const block = await desk.mark(/^Cap: slide/, false);
  await count.act(() => page.mouse.click(block.x, block.y));
  await count.act(() => page.keyboard.press("Control+a"));
  await count.type("Each later by", "0.2");
  await count.click("Folder");
  await count.click("Put back");
  for (const [i, [part, way]] of (
    [
      ["Cap", 90],
      ["Spring seat", 60],
      ["Stem", 40],
    ] as const
  ).entries()) {
    const z = async (t: number) => (await valuesAt(page, [node(`Valve/${part}`)], "slide.z", t))[0] ?? Number.NaN;
    expect(await z(0.5 + 0.2 * i)).toBe(0);
    expect(await z(0.5 + 0.2 * i + 0.1)).toBeGreaterThan(0);
    expect(await z(1.9)).toBe(way);
    const end = (await read<number>(page, "desk.program.steps.still[0]")) / SECOND;
    expect(await z(end)).toBeCloseTo(0, 9);
  }
  expect(await read<number[]>(page, "Object.values(desk.body().steps[desk.body().stepOrder[0]].folders).length")).toBe(
    1,
  );
  count.done("valve parts", 14);
  // What differs is said to, not shown as a number: so any that is typed is taken, nil as well.
  const again = await desk.mark(/^Cap: slide/, false);
  await page.mouse.click(again.x, again.y);
  await page.keyboard.press("Control+a");
  await expect(desk.field("Each later by")).toHaveValue("differs");
  await desk.type("Each later by", "0");
  await expect(desk.field("Each later by")).toHaveValue("0");
});

test("a seal that slides, swells and turns at once and comes back, as a loop that closes, the camera seeing it", async () => {
  await count.begin("Seal");
  await count.act(() => page.locator(".card-main").first().click());
  await count.type("Length of the step", "4 s, no stills");
  await pick("Seal");
  await move("fit in 0");
  await pick("Seal");
  await count.type("Time in step", "2");
  await count.type("Slide Z", "30");
  await count.type("Turn Z", "90");
  await count.type("Size all", "1.4");
  await count.type("Lead", "2");
  await count.press("Control+Enter");
  await desk.mark(/^Arrival of Seal/, false);
  await count.act(() => page.locator(".card-main").first().click());
  await count.act(() =>
    page.getByRole("list", { name: "Moves of this step" }).getByRole("button", { name: /^Seal/ }).first().click(),
  );
  await count.act(() => desk.choose("Afterwards it", "comes back the same way"));
  await count.type("How often", "2");
  expect(await read<number>(page, "desk.program.steps.length")).toBe(4 * SECOND);
  for (const channel of ["slide.z", "turn.z", "size.x"]) {
    const v = async (t: number) => (await valuesAt(page, [node("Seal")], channel, t))[0] ?? Number.NaN;
    const home = channel === "size.x" ? 1 : 0;
    expect(await v(0)).toBeCloseTo(home, 9);
    expect(await v(4)).toBeCloseTo(home, 9);
    expect(await v(1.3)).toBeCloseTo(await v(2.7), 6);
    expect(Math.abs((await v(2)) - home)).toBeGreaterThan(0.3);
  }
  expect(await read<number>(page, "desk.state.framing?.length ?? 0")).toBe(0);
  count.done("seal", 18);
});

test("crank and plunger through a full turn at uneven speed", async () => {
  await count.begin("Crank");
  await pick("Pump/Crank");
  await count.act(() => page.getByRole("tab", { name: "Joints" }).click());
  await count.click("Add a joint");
  await option("Hinge about its own axis");
  await pick("Pump/Plunger");
  await count.click("Add a joint");
  await option("Slide along its own axis");
  await count.act(() => desk.choose("Follows", "Crank hinge"));
  await count.type("Crank radius", "14");
  await count.type("Rod length", "50");
  await pick("Pump/Crank");
  for (const [at, angle] of [
    ["1.7", "120"],
    ["3", "360"],
  ] as const) {
    await count.type("Time in step", at);
    await count.type("Crank hinge value", angle);
  }
  await count.act(() => page.getByRole("checkbox", { name: "from the one before" }).click());
  await count.press("Control+Enter");
  const crank = `joint.${await joint("Pump/Crank")}`;
  const plunger = `joint.${await joint("Pump/Plunger")}`;
  expect((await valuesAt(page, [node("Pump/Crank")], crank, 3))[0]).toBe(360);
  for (const t of [0.9, 1.7, 2.1, 2.6, 3]) {
    const [angle = 0] = await valuesAt(page, [node("Pump/Crank")], crank, t);
    const [way = 0] = await valuesAt(page, [node("Pump/Plunger")], plunger, t);
    const p = (angle * Math.PI) / 180;
    const slider = 14 * Math.cos(p) + Math.sqrt(50 ** 2 - (14 * Math.sin(p)) ** 2);
    expect(way).toBeCloseTo(slider - 64, 6);
  }
  count.done("crank and plunger", 18);
});
