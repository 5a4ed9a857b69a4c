import type { Finding } from "../src/core/proof/check";
import { Counting, read } from "./counting";
import { DeskPage, visit } from "./desk";
import { expect, type Page, test } from "./test";

const findings = (page: Page) => read<Finding[]>(page, "desk.state.proof?.findings ?? []");
/** Waits until the proof has looked at the film as it is now. */
const looked = (page: Page) =>
  page.waitForFunction(
    () => {
      const { state } = (
        window as unknown as {
          plextanDesk: { state: { proof: { film: string } | null; proofShare: number | null } };
        }
      ).plextanDesk;
      return state.proof !== null && state.proof.film !== "" && state.proofShare === null;
    },
    null,
    { timeout: 90_000 },
  );

/** Why each is left as it is, as an animator would say it. */
const REASONS: Readonly<Record<string, string>> = {
  contact: "Seen from this side nobody can tell",
  covered: "The housing is cut open in the next cut",
};

test("the rough cut: through the list with the keyboard, everything mended or excused, and published", async ({
  page,
}) => {
  test.setTimeout(240_000);
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("link", { name: "Rill H2, a rough cut", exact: true }).first().click();
  await desk.ready();
  const list = page.getByRole("listbox", { name: "Findings" });
  const job = new Counting(page, desk);
  await job.press("Alt+p");
  await looked(page);
  await page.waitForTimeout(300);
  const found = await findings(page);
  // A dozen kinds of what is easily got wrong.
  expect(new Set(found.map((f) => f.check)).size).toBeGreaterThanOrEqual(9);
  expect(found.length).toBeGreaterThanOrEqual(12);
  await expect(page.getByRole("button", { name: "Proof" }).first()).toContainText(String(found.length));
  await expect(list).toBeFocused();

  // Publishing says so, and offers to look first.
  await page.getByRole("button", { name: "Publish" }).click();
  await expect(page.locator(".publish-proof")).toContainText("open findings");
  await page.getByRole("button", { name: "Look first" }).click();
  await expect(list).toBeFocused();

  const press = (keys: string) => job.act(() => page.keyboard.press(keys));
  await press("ArrowDown");
  for (let i = 0; i < 60; i++) {
    const chosen = list.getByRole("option", { selected: true });
    if ((await list.getByRole("option").count()) === 0) {
      await looked(page);
      if ((await list.getByRole("option").count()) === 0) break;
    }
    if ((await chosen.count()) === 0) {
      await press("ArrowDown");
      continue;
    }
    const name = await read<string>(page, "desk.state.proofing.chosen");
    if (await chosen.locator("[data-mend]").count()) await press("1");
    else {
      await press("m");
      await job.act(() => page.keyboard.type(REASONS[name.split(" ")[0] ?? ""] ?? "Seen, and meant so"));
      await press("Enter");
    }
    await expect.poll(() => read(page, "desk.state.proofing.chosen")).not.toBe(name);
  }
  job.done("a rough cut with everything that is easily got wrong, mended or excused", 40);
  await looked(page);
  await expect(page.getByText("Nothing found that would embarrass you.")).toBeVisible();
  await desk.saved();

  // Published: nothing is in the way, and nothing is warned of. Half a second of it is enough here.
  await read(page, "desk.set({ range: { from: 0, to: 352800000 } })");
  await page.getByRole("button", { name: "Publish" }).click();
  const dialog = page.getByRole("dialog");
  await expect(dialog.locator(".publish-proof")).toHaveCount(0);
  for (const [label, value] of [
    ["Width", "96"],
    ["Height", "54"],
  ] as const) {
    await dialog.getByLabel(label, { exact: true }).fill(value);
    await dialog.getByLabel(label, { exact: true }).blur();
  }
  await dialog.getByRole("button", { name: "Make video" }).click();
  await expect(dialog.getByTestId("publish-result")).toBeVisible({ timeout: 120_000 });
  await page.keyboard.press("Escape");

  // What was meant so is there with its reason after reload, and can be taken back.
  await page.reload();
  await desk.ready();
  await desk.press("Alt+p");
  await looked(page);
  await expect(page.getByText("Nothing found that would embarrass you.")).toBeVisible();
  await page.getByText(/^Meant \d+$/).click();
  await list.getByRole("option").first().click();
  await expect(list).toContainText("Meant so:");
  await list.getByRole("button", { name: "Not meant so" }).click();
  await page.getByText(/^Open \d+$/).click();
  await expect(list.getByRole("option")).toHaveCount(1);
  await desk.press("Control+z");
  await expect(list.getByRole("option")).toHaveCount(0);
});
