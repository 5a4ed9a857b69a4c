import { DeskPage, visit } from "./desk";
import { expect, test } from "./test";

const CUBE = "node_modules/occt-import-js/test/testfiles/simple-basic-cube/cube.stp";

test("two at the same sequence: what does not meet is laid together, what does is kept twice", async ({
  page,
  browser,
}) => {
  const mine = await DeskPage.newProject(page, "Together");
  await mine.bringIn(CUBE);
  await page.getByRole("button", { name: "Add step" }).click();
  await mine.saved();
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const other = await context.newPage();
  const theirs = new DeskPage(other);
  await other.goto(page.url());
  await theirs.ready();
  await expect(other.locator(".card")).toHaveCount(2);

  const rename = async (desk: DeskPage, card: number, title: string) => {
    await desk.page.locator(".card-main").nth(card).click();
    await desk.field("Title").fill(title);
    await desk.field("Title").press("Enter");
  };
  await rename(mine, 0, "From me");
  await mine.saved();
  // They have not seen that yet; their own change is elsewhere.
  await rename(theirs, 1, "From them");
  await theirs.saved();
  await expect(other.locator(".card-title")).toHaveText(["From me", "From them"]);

  // I have not seen theirs, and change the very same title.
  await rename(mine, 1, "Mine as well");
  await expect(page.getByText(/Both are kept/)).toBeVisible();
  await expect(page.locator(".card-title")).toHaveText(["From me", "From them"]);
  await page.getByRole("button", { name: "Sequence", exact: true }).click();
  await page.getByRole("menuitem", { name: /kept copy/ }).click();
  await expect(page.locator(".card-title")).toHaveText(["From me", "Mine as well"]);
  await context.close();
});

test("another sequence can be made, renamed and comes back after a reload", async ({ page }) => {
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("link", { name: "Together", exact: true }).first().click();
  await desk.ready();
  const menu = page.getByRole("button", { name: "Sequence", exact: true });
  await menu.click();
  await page.getByRole("menuitem", { name: "New sequence" }).click();
  await page.getByLabel("Sequence name").fill("Second thoughts");
  await page.getByLabel("Sequence name").press("Enter");
  await expect(menu).toHaveText("Second thoughts");
  await menu.click();
  await page.getByRole("menuitem", { name: "Rename this sequence" }).click();
  await page.getByLabel("Sequence name").fill("Third thoughts");
  await page.getByRole("button", { name: "Rename", exact: true }).click();
  await desk.saved();
  await page.reload();
  await desk.ready();
  // The one that was open is open again.
  await expect(menu).toHaveText("Third thoughts");
});
