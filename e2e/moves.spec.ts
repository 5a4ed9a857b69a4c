import { nth } from "../src/core/math/packed";
import { DeskPage } from "./desk";
import { expect, type Page, test } from "./test";

const LID = "Rill H2/Lid";
const CAP = "Rill H2/Filter/Bayonet cap";
const PLUG = "Rill H2/Filter/Drain plug";

const read = <T>(page: Page, what: string): Promise<T> =>
  page.evaluate(
    (body) => new Function("desk", `return ${body}`)((window as unknown as { plextanDesk: unknown }).plextanDesk),
    what,
  ) as Promise<T>;

test.describe.configure({ mode: "serial" });

// One page for all of them: the demo is opened once, each test works in a sequence of its own.
let shared: Page;
test.beforeAll(async ({ browser }) => {
  shared = await browser.newPage();
  await new DeskPage(shared).openDemo();
});
test.afterAll(() => shared.close());

/** A fresh sequence on the demo, in the action of its only step. */
async function fresh(name: string): Promise<{ desk: DeskPage; page: Page }> {
  const page = shared;
  const desk = new DeskPage(page);
  await page.getByRole("button", { name: "Sequence" }).click();
  await page.getByRole("menuitem", { name: "New sequence" }).click();
  await desk.field("Sequence name").fill(name);
  await desk.field("Sequence name").press("Enter");
  await expect(page.locator(".head-sequence")).toContainText(name);
  await desk.type("Time in step", "0.5");
  return { desk, page };
}

async function begin(desk: DeskPage, word: string): Promise<void> {
  await desk.press("Alt+M");
  await expect(desk.field("Find a move")).toBeFocused();
  await desk.page.keyboard.type(word);
  await desk.page.keyboard.press("Enter");
  await expect(desk.page.getByText("being made")).toBeVisible();
}

const rows = (page: Page) => page.locator(".move-list .move-row");

test("a move is seen before it is made, dropped, made, changed, copied, reversed, switched off, and undone", async () => {
  const { desk, page } = await fresh("Moves");
  await desk.select(LID);
  const home = await desk.matrix(LID);

  // Dropped: nothing was stored.
  await begin(desk, "turn");
  expect(await desk.matrix(LID)).not.toEqual(home);
  await desk.press("Control+Backspace");
  await expect(page.getByText("being made")).toHaveCount(0);
  expect(await desk.matrix(LID)).toEqual(home);
  expect(await read<number>(page, "Object.keys(desk.body().steps[desk.body().stepOrder[0]].moves).length")).toBe(0);

  // Typed in words; nonsense says what is wrong and changes nothing.
  await begin(desk, "turn");
  await desk.type("Angle", "quarter");
  await expect(page.getByText(/is not an angle/)).toBeVisible();
  await desk.field("Angle").press("Escape");
  await desk.type("Angle", "1/4 turn");
  await expect(desk.field("Angle")).toHaveValue("90");
  await desk.press("Control+Enter");
  const open = await desk.matrix(LID);
  expect(open).not.toEqual(home);

  // Changed ever after, with the stage showing it.
  await desk.type("Angle", "30");
  expect(await desk.matrix(LID)).not.toEqual(open);
  await desk.press("Control+z");
  expect(await desk.matrix(LID)).toEqual(open);

  // Reversed: home again, bit for bit; and it follows when the original changes.
  await desk.press("Control+Shift+B");
  await desk.press("End");
  expect(await desk.matrix(LID)).toEqual(home);
  await page.locator(".card-main").first().click();
  await expect(rows(page)).toHaveCount(2);
  await rows(page).first().locator(".move-main").click();
  await desk.type("Angle", "45");
  await desk.press("End");
  expect(await desk.matrix(LID)).toEqual(home);

  // Onto another part with one paste, with a length of its own.
  await page.locator(".card-main").first().click();
  await rows(page).first().locator(".move-main").click();
  await desk.press("Control+c");
  await desk.select(CAP);
  await desk.press("Control+v");
  await expect(page.locator(".lane-name", { hasText: "Bayonet cap" })).toBeVisible();
  await desk.type("Takes", "0.6");
  await page.locator(".card-main").first().click();
  await expect(rows(page)).toHaveCount(3);
  expect(
    await read<number[]>(
      page,
      "Object.values(Object.values(desk.sequence.steps)[0].moves).filter((m) => m.kind === 'turn').map((m) => m.length / 705600000).sort()",
    ),
  ).toEqual([0.6, 1.2]);

  // Both want the lid: said on the card and on the moves, the later one wins.
  await desk.select(LID);
  await desk.type("Time in step", "0.9");
  await begin(desk, "turn");
  await desk.press("Control+Enter");
  await expect(page.getByRole("img", { name: "Moves clash" }).or(page.getByLabel("Moves clash"))).toBeVisible();
  await expect(page.getByText(/Takes over from/)).toBeVisible();
  await desk.press("Delete");
  await expect(page.getByLabel("Moves clash")).toHaveCount(0);

  // Folders switch what is in them; Ctrl selects several without leaving the list.
  await page.locator(".card-main").first().click();
  const menu = page.getByRole("button", { name: "More about Lid: turn", exact: true }).first();
  // The menu of a move that nothing marks is about that one, and the list stays.
  await menu.click();
  await page.getByRole("menuitem", { name: /^Copy/ }).click();
  await expect(page.getByText("The move is copied.")).toBeVisible();
  await expect(rows(page)).toHaveCount(3);
  await expect(page.getByRole("menu")).toHaveCount(0);
  // By the keys alone: Escape gives them back to the button.
  await page.mouse.move(2, 2);
  await menu.press("Enter");
  await expect(page.getByRole("menuitem", { name: /^Put back/ })).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(page.getByRole("menuitem", { name: /^Copy/ })).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("menu")).toHaveCount(0);
  await expect(menu).toBeFocused();
  for (const i of [0, 1])
    await rows(page)
      .nth(i)
      .locator(".move-main")
      .click({ modifiers: ["Control"] });
  await expect(page.locator(".move-list .move-row.marked")).toHaveCount(2);
  await menu.click();
  await page.getByRole("menuitem", { name: "Into a new folder" }).click();
  await desk.type("Time in step", "1.7");
  expect(await desk.matrix(LID)).not.toEqual(home);
  await page.getByRole("switch", { name: "Folder Folder on" }).click();
  expect(await desk.matrix(LID)).toEqual(home);
  await desk.press("Control+z");
  expect(await desk.matrix(LID)).not.toEqual(home);

  // Hand keys in its place: nothing moves otherwise.
  const there = await desk.matrix(LID);
  await menu.click();
  await page.getByRole("menuitem", { name: "Turn into hand keys" }).click();
  await expect(page.getByText("nothing moves otherwise than before")).toBeVisible();
  expect(await desk.matrix(LID)).toEqual(there);
  await desk.saved();
  await page.reload();
  await desk.ready();
});

test("targets that cannot move say why; a screw finds its own thread; taking off finds its own way", async () => {
  const { desk, page } = await fresh("Reasons");
  await desk.press("Alt+M");
  await page.keyboard.type("slide");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/"Slide" needs parts. Select them first./).first()).toBeVisible();
  await page.keyboard.press("Escape");

  await desk.select("Rill H2/Frame/Back wall");
  await desk.press("Control+Shift+L");
  await desk.press("Alt+M");
  await page.keyboard.type("slide");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/locked/).first()).toBeVisible();
  await page.keyboard.press("Escape");
  await desk.press("Control+Shift+L");

  const screw = "Rill H2/Frame/Cap screw M4x12";
  await desk.select(screw);
  await begin(desk, "unscrew");
  await desk.type("Turns out", "2");
  await desk.press("Control+Enter");
  const joint = await read<{ pitch: number }>(
    page,
    `Object.values(desk.state.preparation.body.joints).find((j) => j.target.key === ${JSON.stringify(screw)})`,
  );
  const home = await read<number[]>(
    page,
    `Array.from(desk.index.homeWorld.subarray(16 * desk.index.indexOf.get(${JSON.stringify(screw)}), 16 * desk.index.indexOf.get(${JSON.stringify(screw)}) + 16))`,
  );
  const now = await desk.matrix(screw);
  expect(Math.hypot(...[12, 13, 14].map((k) => nth(now, k) - nth(home, k)))).toBeCloseTo(2 * Math.abs(joint.pitch), 6);

  await desk.select(PLUG);
  await begin(desk, "take off");
  await expect(page.getByText(/free, clear after/).first()).toBeVisible();
  await expect(desk.field("Along")).toHaveValue("front, −Y");
  await desk.type("Distance", "-1e9");
  await expect(desk.field("Distance")).toHaveAttribute("aria-invalid", "true");
  await desk.field("Distance").press("Escape");
  await desk.press("Control+Enter");
});

test("an exploded view is planned, spread, changed by hand, kept when planned again, and put together", async () => {
  const { desk, page } = await fresh("Apart");
  const valve = "Rill H2/Pump/Inlet valve";
  await desk.select(valve);
  await begin(desk, "exploded");
  // Asked again at once, the first plan is stopped.
  await page.getByRole("switch", { name: "Stay clear of the rest" }).click();
  const block = page.getByRole("button", { name: /Open the block: \d+ parts/ });
  await expect(block).toBeVisible({ timeout: 120_000 });
  await desk.press("Control+Enter");
  const disc = `${valve}/Valve cap`;
  const apart = await desk.matrix(disc);
  await desk.type("Spread", "2");
  const wide = await desk.matrix(disc);
  const home = await read<number[]>(
    page,
    `Array.from(desk.index.homeWorld.subarray(16 * desk.index.indexOf.get("${disc}"), 16 * desk.index.indexOf.get("${disc}") + 16))`,
  );
  for (const k of [12, 13, 14]) expect(nth(wide, k) - nth(home, k)).toBeCloseTo(2 * (nth(apart, k) - nth(home, k)), 6);
  await page.getByRole("button", { name: /Open the block/ }).click();
  await desk.type("Distance of Valve cap", "55");
  await expect(page.getByRole("button", { name: "Valve cap (by hand)" })).toBeVisible();
  await page.getByRole("button", { name: "Plan again" }).click();
  await expect(page.getByRole("button", { name: "Plan again" })).toBeEnabled({ timeout: 120_000 });
  await expect(desk.field("Distance of Valve cap")).toHaveValue("55");
  await page.getByRole("button", { name: "Put back", exact: true }).click();
  await desk.press("End");
  expect(await desk.matrix(disc)).toEqual(home);
});

test("cameras: another one, a cut, jerks taken out, the framing told, the view typed; helps on the stage", async () => {
  const { desk, page } = await fresh("Cameras");
  const azimuth = () => read<number>(page, "desk.view.cameras.programValues().azimuth");
  await page.getByRole("button", { name: "Helps at the desk" }).click();
  await page.getByRole("menuitem", { name: "Look after the framing" }).click();
  await page.getByRole("menuitem", { name: "Pictures on the step cards" }).click();
  await page.keyboard.press("Escape");
  await expect(page.locator(".card img").first()).toBeVisible();
  // Two steady swings that meet in a corner.
  for (const degrees of ["60", "-40"]) {
    await begin(desk, "orbit");
    await desk.type("Round by", degrees);
    await desk.type("Takes", "1");
    await page.getByRole("button", { name: "Steady speed" }).click();
    await desk.press("Control+Enter");
  }
  await page.getByRole("button", { name: "Cameras", exact: true }).click();
  await expect(page.getByRole("list", { name: "Abrupt places" }).getByRole("button").first()).toContainText(
    "turns sharply",
  );
  await desk.type("Time in step", "1.5");
  const before = await azimuth();
  await page.getByRole("button", { name: "Smooth this step" }).click();
  await expect(page.getByText("None: the camera starts, turns and stops softly everywhere.")).toBeVisible();
  expect(await azimuth()).toBeCloseTo(before, 6);

  // Typing looks round; keeping makes an arrival.
  await desk.type("Time in step", "0.5");
  await desk.type("Camera round", "200");
  await expect(page.getByRole("button", { name: "Through the camera" })).toHaveAttribute("aria-pressed", "false");
  await page.getByRole("button", { name: "Add a camera that stands here" }).click();
  await expect(page.getByRole("list", { name: "Cameras" }).getByRole("listitem")).toHaveCount(2);
  await page.getByRole("button", { name: "Through the camera" }).click();
  await desk.type("Time in step", "2");
  await page.getByRole("button", { name: "More about camera Camera 2" }).click();
  await page.getByRole("menuitem", { name: "Cut to it at the playhead" }).click();
  await expect(page.locator(".lane-name", { hasText: "Live camera" })).toBeVisible();
  expect((await azimuth()) % 360).toBeCloseTo(200, 6);
  await desk.type("Time in step", "1.9");
  expect(await azimuth()).not.toBeCloseTo(200, 1);

  // A part that flies out of the picture is told, and where.
  await desk.type("Time in step", "0.5");
  await desk.select(CAP);
  await begin(desk, "slide");
  await desk.type("Distance", "900");
  await desk.press("Control+Enter");
  await page.getByRole("button", { name: "Cameras", exact: true }).click();
  await expect(page.getByRole("list", { name: "Framing" }).getByText(/Bayonet cap outside for/)).toBeVisible();
  await expect(page.locator(".lane-outside").first()).toBeVisible();

  await page.getByRole("button", { name: "Helps at the desk" }).click();
  await page.getByRole("menuitem", { name: "Thirds in the picture" }).click();
  await page.getByRole("menuitem", { name: /Second view: camera or free/ }).click();
  await page.keyboard.press("Escape");
  await expect(page.locator(".thirds")).toBeVisible();
  await expect(page.locator(".inset")).toHaveText("Free view");
  await page.getByRole("button", { name: "Helps at the desk" }).click();
  await page.getByRole("menuitem", { name: "One view" }).click();
  await page.keyboard.press("Escape");
  await expect(page.locator(".inset")).toHaveCount(0);
});

test("a home is moved as an act of its own with all that it does; arrivals are dragged on their path; hold here", async () => {
  const { desk, page } = await fresh("Homes");
  await desk.type("Time in step", "1.5");
  await desk.select(CAP);
  await desk.type("Slide Z", "80");
  await desk.press("Control+Enter");
  const raised = await desk.matrix(CAP);
  await desk.type("Time in step", "0.2");
  await desk.type("Slide X", "-25");
  await page.getByRole("button", { name: "Make the pending pose its home" }).click();
  await desk.ready();
  await expect(page.getByText("Moved by -25 mm, 0 mm, 0 mm from where CAD has it.")).toBeVisible();
  await desk.type("Time in step", "1.5");
  const both = await desk.matrix(CAP);
  expect([12, 13, 14].map((k) => Math.round((nth(both, k) - nth(raised, k)) * 1e6) / 1e6)).toEqual([-25, 0, 0]);
  await page.getByRole("button", { name: "Back to the CAD home" }).click();
  await desk.ready();
  expect(await desk.matrix(CAP)).toEqual(raised);

  const dot = page.getByRole("button", { name: /Arrival at 1 s on the path/ });
  const box = await dot.boundingBox();
  if (!box) throw new Error("no arrival on the path");
  await page.mouse.move(box.x + 6, box.y + 6);
  await page.mouse.down();
  await page.mouse.move(box.x + 56, box.y + 6, { steps: 5 });
  await page.mouse.up();
  const dragged = await desk.matrix(CAP);
  expect(dragged[12]).not.toBeCloseTo(nth(raised, 12), 0);
  await desk.press("Control+z");
  expect(await desk.matrix(CAP)).toEqual(raised);

  await desk.type("Time in step", "1.2");
  const half = await desk.matrix(CAP);
  await desk.select(CAP);
  await page.getByRole("button", { name: "Hold here" }).click();
  expect(await desk.matrix(CAP)).toEqual(half);
  await expect(page.locator(".pin")).toHaveCount(2);
});
