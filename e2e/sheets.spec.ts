import { mkdir, readFile, rm } from "node:fs/promises";
import { run } from "../tests/support/commandLine";
import { Counting, read } from "./counting";
import { DeskPage } from "./desk";
import { expect, test } from "./test";

const FOLDER = "var/e2e-sheets";
test.beforeAll(() => mkdir(FOLDER, { recursive: true }));
test.afterAll(() => rm(FOLDER, { recursive: true, force: true }));

/** From the finished demo sequence to a page with two things to click and sheets for the workshop. */
test("a page with two triggers and step sheets for the workshop, in at most eighteen acts", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  // The demo has both already: they go first, and are put back for the tests after this one.
  const had = await read(page, `JSON.stringify([desk.body().triggers, desk.body().outputs])`);
  await read(page, `desk.edit("Without", (d) => { d.triggers = {}; d.outputs = {}; })`);
  const count = new Counting(page, desk);
  const publish = page.getByRole("dialog", { name: /^Publish/ });

  await test.step("two moves that a click on the page plays", async () => {
    await count.act(() => page.locator("[data-step=step2] .card-main").click());
    for (const move of [/^Latch: release/, /^Lid: open/]) {
      const { x, y } = await desk.mark(move);
      await count.act(() => page.mouse.click(x, y));
      await count.act(() => page.getByRole("switch", { name: "A click on the page plays it" }).click());
    }
    expect(await read(page, `Object.keys(desk.sequence.triggers).length`)).toBe(2);
  });

  await test.step("the page: tried before it is made, then made", async () => {
    await count.click("Publish");
    await count.click("Add an output");
    await count.act(() => page.getByRole("menuitem", { name: /^Interactive page/ }).click());
    const look = publish.getByTestId("publish-look").contentFrame();
    await expect(look.getByRole("heading", { level: 1 })).toHaveText("Fit a fresh cartridge", { timeout: 60_000 });
    // What is played is the very page: its step buttons and its two triggers are there.
    await expect(look.getByRole("button", { name: /^Latch/ })).toBeVisible({ timeout: 60_000 });
    await expect(look.locator("#steps button")).toHaveCount(12);
    await count.click("Make interactive page");
    await expect(publish.getByTestId("publish-result")).toContainText("12 steps", { timeout: 180_000 });
    const download = page.waitForEvent("download");
    await count.act(() => publish.getByRole("link", { name: "Download", exact: true }).click());
    await (await download).saveAs(`${FOLDER}/page.html`);
    await publish.getByText("Into a website").click();
    await expect(publish.getByLabel("What goes into the website")).toHaveValue(/^<iframe src="Rill%20H2.*\.html"/);
    await publish.getByText("Into a website").click();
  });

  await test.step("the sheets: one step looked at, then all of them", async () => {
    await count.click("Add an output");
    await count.act(() => page.getByRole("menuitem", { name: /^Step sheets/ }).click());
    const look = publish.getByTestId("publish-look").contentFrame();
    // The step that one was at, before and after, with arrows along lid and latch.
    await expect(look.getByRole("heading", { name: /Open the lid/ })).toBeVisible({ timeout: 60_000 });
    await expect(look.locator("article svg image")).toHaveCount(2);
    await count.act(() => publish.getByLabel("Pictures", { exact: true }).click());
    await count.act(() => page.getByTitle("line drawings").click());
    await expect(look.locator("article svg image")).toHaveCount(0, { timeout: 60_000 });
    await expect(look.locator("article svg")).toHaveCount(2);
    await expect(look.locator("svg path.arrow")).toHaveCount(4);
    await publish.getByRole("button", { name: "A step on" }).click();
    await expect(look.getByRole("heading", { name: /A quarter turn/ })).toBeVisible({ timeout: 60_000 });
    await count.act(() => desk.type("Revision", "B"));
    await count.click("Make step sheets");
    await expect(publish.getByTestId("publish-result")).toContainText("6 pages", { timeout: 180_000 });
    const download = page.waitForEvent("download");
    await count.act(() => publish.getByRole("link", { name: "Download", exact: true }).click());
    await (await download).saveAs(`${FOLDER}/sheets.pdf`);
  });
  count.done("from the finished sequence to a page with two triggers and sheets", 18);

  const text = (await run("pdftotext", ["-layout", `${FOLDER}/sheets.pdf`, "-"])).stdout;
  const titles = (await read(page, `desk.sequence.stepOrder.map((id) => desk.sequence.steps[id].title)`)) as string[];
  for (const title of titles) expect(text).toContain(title);
  expect(text).toContain("spanner 14 mm");
  expect(text).toMatch(/Revision B · .* Page 3 of 6/);
  expect((await run("pdfimages", ["-list", `${FOLDER}/sheets.pdf`])).stdout.trim().split("\n")).toHaveLength(2);
  expect((await readFile(`${FOLDER}/page.html`, "utf8")).length).toBeGreaterThan(200_000);

  await test.step("it is kept: there again after a reload, and can be undone", async () => {
    await desk.saved();
    await page.reload();
    await desk.ready();
    await page.getByRole("button", { name: "Publish", exact: true }).click();
    await publish.getByRole("option", { name: /Step sheets/ }).click();
    await expect(publish.getByLabel("Revision", { exact: true })).toHaveValue("B");
    await expect(publish.getByTestId("publish-look").contentFrame().locator("article")).toHaveCount(1, {
      timeout: 60_000,
    });
    await publish.getByLabel("Revision", { exact: true }).press("Escape");
    await publish.getByRole("button", { name: /^Back to the desk/ }).click();
  });
  await read(page, `desk.edit("As it was", (d) => { [d.triggers, d.outputs] = ${had}; })`);
  await desk.saved();
});
