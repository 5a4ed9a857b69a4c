import { DeskPage, visit } from "./desk";
import { expect, type Page, test } from "./test";

const CUBE = "node_modules/occt-import-js/test/testfiles/simple-basic-cube/cube.stp";

/** A page that hears of others, as every one does but in tests that share a project. */
const sociable = (page: Page) => page.addInitScript(() => localStorage.removeItem("plextan-alone"));

test("two at the same sequence: each sees what the other does, and where they are; what meets is kept twice", async ({
  page,
  browser,
}) => {
  await sociable(page);
  const mine = await DeskPage.newProject(page, "Together");
  await mine.bringIn(CUBE);
  await page.getByRole("button", { name: "Add step" }).click();
  await mine.saved();
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const other = await context.newPage();
  await sociable(other);
  const theirs = new DeskPage(other);
  await other.goto(page.url());
  await theirs.ready();
  await expect(other.locator(".card")).toHaveCount(2);
  await other.getByRole("button", { name: /^Signed in as/ }).click();
  await other.getByRole("menuitem", { name: "Jun Odell, animator" }).click();
  // The page is loaded anew for somebody else: what stands before that is not theirs.
  await expect(other.getByRole("button", { name: "Signed in as Jun Odell, animator" })).toBeVisible();
  await theirs.ready();

  const rename = async (desk: DeskPage, card: number, title: string) => {
    await desk.page.locator(".card-main").nth(card).click();
    await desk.field("Title").fill(title);
    await desk.field("Title").press("Enter");
  };
  // Without a reload, within two seconds; and it is known who is where.
  await rename(mine, 0, "From me");
  await expect(other.locator(".card-title").first()).toHaveText("From me");
  await rename(theirs, 1, "From them");
  await expect(page.locator(".card-title")).toHaveText(["From me", "From them"]);
  await expect(page.getByRole("button", { name: 'Jun Odell is here, at "From them"' })).toBeVisible();
  await expect(page.locator(".card").nth(1).getByText("Jun Odell")).toBeVisible();
  await expect(other.locator(".card").first().getByText("Ines Maro")).toBeVisible();
  // A pending pose is its maker's own.
  await other.getByRole("button", { name: "Add step" }).click();
  await expect(page.locator(".card")).toHaveCount(3);
  await page.locator(".card-main").nth(2).click();
  // My undo takes back mine, not theirs.
  await rename(mine, 0, "Once more");
  await mine.press("Control+z");
  await expect(other.locator(".card-title").first()).toHaveText("From me");
  await expect(page.locator(".card")).toHaveCount(3);
  await theirs.press("Control+z");
  await expect(page.locator(".card")).toHaveCount(2);

  // A revision of the CAD file that they put in place comes here too.
  await other.evaluate(async () => {
    const project = location.pathname.split("/").pop();
    const r = await fetch(`/api/projects/${project}/revisions`, {
      method: "POST",
      body: JSON.stringify({ to: 1, base: 1 }),
      headers: { "Content-Type": "application/json" },
    });
    if (!r.ok) throw new Error(await r.text());
  });
  // At once: it is said for some seconds, and one of the two may be that much later than the other.
  const inPlace = "Somebody put revision 2 of the CAD file in place.";
  await Promise.all([page, other].map((p) => expect(p.getByText(inPlace)).toBeVisible()));

  // Cut off from each other for a moment, both change the very same title.
  await mine.saved();
  await page.route(/\/(feed|presence|edits)/, (r) => r.abort());
  await rename(theirs, 1, "Theirs again");
  await theirs.saved();
  await rename(mine, 1, "Mine as well");
  await page.unroute(/\/(feed|presence|edits)/);
  await expect(page.getByText(/Both are kept/)).toBeVisible();
  await expect(page.locator(".card-title")).toHaveText(["From me", "Theirs again"]);
  await page.getByRole("button", { name: "Sequence", exact: true }).click();
  await page.getByRole("menuitem", { name: /kept copy/ }).click();
  await expect(page.locator(".card-title")).toHaveText(["From me", "Mine as well"]);
  // The kept copy is there for the other as well, and whoever leaves is gone.
  await other.getByRole("button", { name: "Sequence", exact: true }).click();
  await expect(other.getByRole("menuitem", { name: /kept copy/ })).toBeVisible();
  await context.close();
  await expect(page.locator(".other")).toHaveCount(0);
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
