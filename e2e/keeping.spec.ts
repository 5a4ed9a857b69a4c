import { readdirSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { DeskPage, visit } from "./desk";
import { BREAKS, expect, type Page, test } from "./test";

const CUBE = "node_modules/occt-import-js/test/testfiles/simple-basic-cube/cube.stp";
const SET = "node_modules/occt-import-js/test/testfiles/cax-if/s1_pe_214";
const SAVES = "**/api/documents/*/edits";

interface Desk {
  sequence: { stepOrder: string[] };
  edit(label: string, command: (draft: { steps: Record<string, { title: string }> }) => void): boolean;
}
/** Many edits of the first step's title, one after the other, as a long day would make them. */
const editMany = (page: Page, count: number) =>
  page.evaluate((n) => {
    const desk = (window as unknown as { plextanDesk: Desk }).plextanDesk;
    const step = desk.sequence.stepOrder[0] as string;
    for (let i = 1; i <= n; i++)
      desk.edit(`Title ${i}`, (draft) => {
        (draft.steps[step] as { title: string }).title = `title ${i}`;
      });
  }, count);

test("a day's work without a network is saved whole, and what another changed meanwhile is set aside, not lost", async ({
  page,
  browser,
}) => {
  const desk = await DeskPage.newProject(page, "Far away");
  await desk.bringIn(CUBE);
  await page.route(SAVES, (route) => route.abort());
  await editMany(page, 700);
  await expect(page.getByTestId("save-state")).toContainText("Not reached; kept in this browser (700)");
  // The browser has written them down.
  await expect
    .poll(() =>
      page.evaluate(
        () =>
          new Promise<number>((done) => {
            const open = indexedDB.open("plextan-outbox");
            open.onsuccess = () => {
              const count = open.result.transaction("edits").objectStore("edits").count();
              count.onsuccess = () => done(count.result);
            };
          }),
      ),
    )
    .toBe(700);
  // A download that cannot be had says so and leaves the page as it is.
  const AWAY = /\/api\//;
  await page.route(AWAY, (route) => route.abort());
  await page.getByRole("button", { name: "Download project file" }).click();
  await expect(page.getByText(/The project file cannot be downloaded/)).toBeVisible();
  await expect(page.getByTestId("stage-canvas")).toBeVisible();
  await page.unroute(AWAY);
  await page.unroute(SAVES);
  await page.reload();
  await desk.ready();
  await expect(page.getByText("700 changes from an interrupted session were saved now.")).toBeVisible();
  await expect(page.locator(".card-title").first()).toHaveText("title 700");

  // The same again, while somebody else changes that very title.
  await page.route(SAVES, (route) => route.abort());
  await editMany(page, 3);
  await expect(page.getByTestId("save-state")).toContainText("(3)");
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const theirs = new DeskPage(await context.newPage());
  await theirs.page.goto(page.url());
  await theirs.ready();
  await theirs.type("Title", "theirs");
  await theirs.saved();
  await context.close();
  await page.unroute(SAVES);
  await page.reload();
  await desk.ready();
  await expect(page.locator(".card-title").first()).toHaveText("theirs");
  await page.getByRole("button", { name: "1 set aside" }).click();
  const dialog = page.getByRole("dialog", { name: "Changes that are not on the server" });
  await expect(dialog.getByText(/3 changes, someone else changed the same/)).toBeVisible();
  const saved = page.waitForEvent("download");
  await dialog.getByRole("button", { name: "Save to a file" }).click();
  const file = JSON.parse(await readFile(await (await saved).path(), "utf8"));
  expect(file.documents[0].edits).toHaveLength(3);
  await dialog.getByRole("button", { name: "Make again on what is there now" }).click();
  await expect(dialog.getByText("Nothing is set aside.")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.locator(".card-title").first()).toHaveText("title 3");
  await desk.saved();
});

test("a page that breaks says so, and what was done is there when it is opened again", {
  annotation: { type: BREAKS },
}, async ({ page }) => {
  const desk = await DeskPage.newProject(page, "Broken");
  await desk.bringIn(CUBE);
  await page.route(SAVES, (route) => route.abort());
  await editMany(page, 3);
  await expect(page.getByTestId("save-state")).toContainText("kept in this browser (3)");
  await page.evaluate(() => {
    const desk = (window as unknown as { plextanDesk: { set(s: object): void } }).plextanDesk;
    try {
      desk.set({ aids: null });
    } catch {
      // Whoever listens breaks as well.
    }
  });
  await expect(page.getByRole("heading", { name: "This page broke" })).toBeVisible();
  await page.unroute(SAVES);
  await page.getByRole("button", { name: "Open it again" }).click();
  await desk.ready();
  await expect(page.locator(".card-title").first()).toHaveText("title 3");
  await page.goto("/nowhere/at-all");
  await expect(page.getByRole("heading", { name: "There is nothing here" })).toBeVisible();
  await page.getByRole("link", { name: "All projects" }).click();
  await expect(page.getByRole("button", { name: "Open Broken" }).or(page.getByText("Broken")).first()).toBeVisible();
});

test("a browser without storage says that changes are in the page alone, warns before leaving, and gives them as a file", async ({
  page,
}) => {
  await page.addInitScript(() => {
    IDBFactory.prototype.open = () => {
      throw new DOMException("full", "QuotaExceededError");
    };
  });
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("link", { name: "Far away", exact: true }).first().click();
  await desk.ready();
  await desk.type("Title", "saved all the same");
  await desk.saved();
  // Nothing would be lost: nothing is asked.
  await page.reload();
  await desk.ready();
  await page.route(SAVES, (route) => route.abort());
  await desk.type("Title", "only here");
  await expect(page.getByTestId("save-state")).toHaveText("Not saved; only in this page (1)");
  const saved = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save to a file" }).click();
  const file = await (await saved).path();
  const asked = page.waitForEvent("dialog");
  const reload = page.reload();
  const dialog = await asked;
  expect(dialog.type()).toBe("beforeunload");
  await dialog.accept();
  await reload;
  await page.unroute(SAVES);
  await desk.ready();
  await expect(desk.field("Title")).toHaveValue("saved all the same");
  await page.getByTestId("save-state").click();
  await page.getByLabel("File of changes").setInputFiles(file);
  await expect(page.getByText(/^1 change taken in from/)).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(desk.field("Title")).toHaveValue("only here");
  await desk.saved();
});

test("an assembly in many files: the master is found, what is missing is listed, and can be added at once or later", async ({
  page,
}) => {
  const desk = await DeskPage.newProject(page, "Many files");
  const files = readdirSync(SET).map((f) => `${SET}/${f}`);
  const input = page.getByLabel("CAD file");
  await input.setInputFiles(files.filter((f) => !/head|tail_asm/.test(f)));
  const list = page.getByRole("list", { name: "Missing files" });
  await expect(list.getByRole("listitem")).toHaveText(["head_asm.stp", "tail_asm.stp"]);
  await input.setInputFiles(files.filter((f) => /tail_asm/.test(f)));
  await expect(list.getByRole("listitem")).toHaveText(["head_asm.stp"]);
  await page.getByRole("button", { name: "Bring it in without them" }).click();
  await desk.ready(120_000);
  const parts = () =>
    page.evaluate(
      () =>
        (
          window as unknown as { plextanDesk: { pkg: { assembly: { nodes: { kind: string }[] } } } }
        ).plextanDesk.pkg.assembly.nodes.filter((n) => n.kind === "part").length,
    );
  const before = await parts();
  await page.getByRole("button", { name: /Assembly/ }).click();
  await page.getByRole("menuitem", { name: "Add files that were missing (1)" }).click();
  const dialog = page.getByRole("dialog", { name: "Add files that were missing" });
  await dialog.getByLabel("CAD file").setInputFiles(files.filter((f) => /head/.test(f)));
  await page.getByRole("button", { name: "Apply the revision" }).click();
  await expect(page.getByText(/is in place/)).toBeVisible();
  await desk.ready();
  expect(await parts()).toBe(11);
  expect(before).toBeLessThan(11);
});

test("signing out ends the session and stays so until one signs in again", async ({ page }) => {
  await visit(page);
  await expect(page.getByRole("link", { name: "Far away", exact: true }).first()).toBeVisible();
  await page.getByRole("button", { name: /^Signed in as/ }).click();
  await page.getByRole("menuitem", { name: "Sign out" }).click();
  await expect(page.getByRole("button", { name: "Go on as Ines Maro" })).toBeVisible();
  await page.goto("/");
  await expect(page.getByText("You are signed out.")).toBeVisible();
  await expect(page.getByRole("link", { name: "Far away", exact: true })).toHaveCount(0);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("button", { name: "Go on as Ines Maro" }).click();
  await expect(page.getByRole("link", { name: "Far away", exact: true }).first()).toBeVisible();
});

test("a page opened before an update says so where one is, goes on saving, and is the new one when it is reloaded", async ({
  page,
}) => {
  const desk = await DeskPage.newProject(page, "Updated meanwhile");
  await desk.bringIn(CUBE);
  const updated = page.getByText("Plextan was updated");
  await desk.type("Title", "before");
  await desk.saved();
  await expect(updated).toHaveCount(0);
  // From now on another version answers.
  await page.route(SAVES, async (route) => {
    const response = await route.fetch();
    await route.fulfill({ response, headers: { ...response.headers(), "x-plextan-version": "a later one" } });
  });
  await desk.type("Title", "during");
  await desk.saved();
  await expect(updated).toBeVisible();
  await desk.type("Title", "after");
  await desk.saved();
  await page.unroute(SAVES);
  await page.getByRole("button", { name: "Reload" }).click();
  await desk.ready();
  await expect(page.locator(".card-title").first()).toHaveText("after");
  await expect(updated).toHaveCount(0);
});
