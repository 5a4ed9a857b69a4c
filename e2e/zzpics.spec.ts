import { DeskPage } from "./desk";
import { test } from "./test";

test.use({ viewport: { width: 1280, height: 800 } });
test("pics", async ({ page }) => {
  test.setTimeout(240000);
  page.on("console", (m) => {
    if (m.type() === "error" || m.type() === "warning") console.log(m.text().slice(0, 300));
  });
  const desk = new DeskPage(page);
  await page.goto("/");
  await page.locator("html[data-alive]").waitFor({ state: "attached" });
  await page.getByRole("link", { name: "Rill H2, a rough cut", exact: true }).first().click();
  await desk.ready();
  await page.waitForTimeout(800);
  const t = Date.now();
  await page.keyboard.press("Alt+p");
  await page.getByRole("option").first().waitFor({ timeout: 120000 });
  console.log("proofed in", Date.now() - t);
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.waitForTimeout(1500);
  await page.screenshot({ path: "/tmp/p1.png" });
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.waitForTimeout(1000);
  await page.screenshot({ path: "/tmp/p2.png" });
});
