import { readFile, rm } from "node:fs/promises";
import { run } from "../../tests/support/commandLine";
import { read, SECOND } from "../counting";
import { DeskPage, visit } from "../desk";
import { expect, type Page, test } from "../test";

/** Every main view, as the README shows it. A view that changes is taken anew by its name: `-g exploded`. */
const FOLDER = "docs/screenshots";
const LID = "Rill H2/Lid";
const CARTRIDGE = "Rill H2/Filter/Cartridge";

const shot = async (page: Page, name: string) => {
  // Nothing is pointed at.
  await page.mouse.move(2, 2);
  // Steps in sight have their pictures, which are drawn when nothing else is done.
  await page.waitForFunction(
    () =>
      [...document.querySelectorAll(".card")].every((card) => {
        const list = card.parentElement?.parentElement?.getBoundingClientRect();
        const { top } = card.getBoundingClientRect();
        return !list || top > list.bottom || card.querySelector("img") !== null;
      }),
    null,
    { timeout: 120_000 },
  );
  // Whatever is still drawn finely, or told and fading, comes to rest.
  await page.waitForTimeout(2500);
  await page.screenshot({ path: `${FOLDER}/${name}.png` });
};

async function open(page: Page, step?: number, seconds?: number): Promise<DeskPage> {
  const desk = new DeskPage(page);
  await desk.openDemo();
  await page.waitForTimeout(8000);
  if (step !== undefined) await page.locator(`[data-step=step${step}] .card-main`).click();
  if (seconds !== undefined) await read(page, `desk.seek(${Math.round(seconds * SECOND)})`);
  return desk;
}

async function fresh(page: Page, name: string): Promise<void> {
  await page.getByRole("button", { name: "Sequence", exact: true }).click();
  await page.getByRole("menuitem", { name: "New sequence" }).click();
  await page.getByLabel("Sequence name").fill(name);
  await page.keyboard.press("Enter");
  await expect(page.locator(".head-sequence")).toContainText(name);
  await new DeskPage(page).type("Time in step", "0.5");
}

test("projects", async ({ page }) => {
  await visit(page);
  await expect(page.getByRole("link", { name: "Rill H2", exact: true })).toBeVisible();
  await shot(page, "projects");
});

test("people", async ({ page }) => {
  await visit(page);
  const me = page.getByRole("button", { name: /^Signed in as/ });
  await me.click();
  await page.getByRole("menuitem", { name: "Tarik Brandt, owner" }).click();
  await page.getByRole("button", { name: "Signed in as Tarik Brandt, owner" }).click();
  await page.getByRole("menuitem", { name: "People" }).click();
  await page.getByLabel("E-mail address").fill("mira.sol@rill.example");
  await page.getByRole("button", { name: "Invite", exact: true }).click();
  await expect(page.getByText(/lies in the outbox/)).toBeVisible();
  await page.getByRole("button", { name: "Close" }).click();
  await shot(page, "people");
});

test("desk", async ({ page }) => {
  await open(page, 4, 15);
  await shot(page, "desk");
});

test("joints", async ({ page }) => {
  const desk = await open(page);
  await desk.select(LID);
  await page.getByText("Joints", { exact: true }).first().click();
  await shot(page, "joints");
});

test("parts", async ({ page }) => {
  const desk = await open(page);
  await desk.field("Find parts").fill("screw");
  await desk.field("Find parts").press("Enter");
  await page.getByText("Finish", { exact: true }).first().click();
  await shot(page, "parts");
});

test("looks", async ({ page }) => {
  await open(page);
  await page.getByRole("button", { name: "Look", exact: true }).click();
  await shot(page, "looks");
});

test("moves", async ({ page }) => {
  const desk = await open(page);
  await fresh(page, "Moves");
  await desk.select("Rill H2/Filter/Drain plug");
  await desk.press("Alt+M");
  await page.keyboard.type("unscrew 3.5 in 2 s");
  await shot(page, "moves");
});

test("exploded", async ({ page }) => {
  await open(page);
  await page.getByRole("button", { name: "Sequence", exact: true }).click();
  await page.getByRole("menuitem", { name: "How the pump works" }).click();
  await expect(page.locator(".head-sequence")).toContainText("How the pump works");
  await page.locator("[data-step=step3] .card-main").click();
  await read(page, `desk.seek(desk.program.steps.still[2] - 1)`);
  await page
    .locator(".move-main", { hasText: /xplode|apart/i })
    .first()
    .click();
  await shot(page, "exploded");
});

test("cameras", async ({ page }) => {
  await open(page, 2, 6);
  await page.getByRole("button", { name: "Cameras", exact: true }).click();
  await shot(page, "cameras");
});

test("curves", async ({ page }) => {
  const desk = await open(page, 4, 15);
  await desk.select(CARTRIDGE);
  await desk.press("Alt+l");
  await shot(page, "curves");
});

test("narration", async ({ page }) => {
  await open(page, 2, 6);
  await page.getByRole("button", { name: /^Recording "Open the lid"/ }).press("Enter");
  await shot(page, "narration");
});

test("proof", async ({ page }) => {
  await visit(page);
  await page
    .getByRole("link", { name: /rough cut/ })
    .first()
    .click();
  const desk = new DeskPage(page);
  await desk.ready();
  await desk.press("Alt+p");
  await expect(page.locator(".proof-list [role=option]").first()).toBeVisible({ timeout: 120_000 });
  await page.keyboard.press("ArrowDown");
  await shot(page, "proof");
});

test("publish", async ({ page }) => {
  await open(page, 4, 15);
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  const rail = await page.locator(".publish-bar .ant-slider").boundingBox();
  if (rail) await page.mouse.click(rail.x + 0.27 * rail.width, rail.y + rail.height / 2);
  // The moment that was asked for is drawn, and not only the first.
  const picture = page.locator("[data-testid=publish-canvas][data-drawn][aria-busy=false]");
  await expect(picture).not.toHaveAttribute("data-drawn", "0", { timeout: 120_000 });
  await shot(page, "publish");
});

test("sheets", async ({ page }) => {
  await open(page, 2, 6);
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await page.getByRole("option", { name: /Sheets for the workshop/ }).click();
  await page.getByRole("button", { name: "Make step sheets", exact: true }).click();
  await expect(page.getByTestId("publish-result")).toContainText("6 pages", { timeout: 300_000 });
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Download", exact: true }).click();
  await (await download).saveAs("var/sheets-picture.pdf");
  await run("pdftoppm", ["-r", "95", "-f", "3", "-l", "4", "-png", "var/sheets-picture.pdf", "var/sheets-picture"]);
  const [a, b] = await Promise.all([3, 4].map((n) => readFile(`var/sheets-picture-${n}.png`, "base64")));
  await page.setViewportSize({ width: 1280, height: 900 });
  await page.setContent(
    `<body style="margin:0;background:#dfdacd;display:flex;gap:16px;justify-content:center;padding:16px"><img height="868" src="data:image/png;base64,${a}"><img height="868" src="data:image/png;base64,${b}">`,
  );
  await shot(page, "sheets");
  for (const f of ["sheets-picture.pdf", "sheets-picture-3.png", "sheets-picture-4.png"]) await rm(`var/${f}`);
});

test("page", async ({ page, browser }) => {
  await open(page);
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await page.getByRole("option", { name: /Page for the workshop/ }).click();
  await page.getByRole("button", { name: "Make interactive page" }).click();
  await expect(page.getByTestId("publish-result")).toContainText("12 steps", { timeout: 300_000 });
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Download", exact: true }).click();
  const file = "var/page-picture.html";
  await (await download).saveAs(file);
  const reader = await browser.newPage({ viewport: { width: 1280, height: 800 }, offline: true });
  await reader.goto(`file://${process.cwd()}/${file}`);
  await reader.waitForFunction(() => "plextanPlayer" in window, null, { timeout: 120_000 });
  await reader.getByRole("button", { name: /^Lid: open/ }).click();
  await reader.waitForTimeout(6000);
  await shot(reader, "page");
  await reader.close();
  await rm(file);
});

test("review", async ({ page, browser }) => {
  const desk = await open(page);
  await page.keyboard.press("Alt+r");
  await page.getByRole("button", { name: /^Send (for review|round)/ }).click();
  await page.getByLabel("What to look at").fill("Does one see how the cap is locked, and where the cartridge sits?");
  const another = page.getByLabel("Make another link");
  if (await another.isVisible()) await another.check();
  await page.getByRole("button", { name: "Send", exact: true }).click();
  const link = await page.getByTestId("review-link").innerText();
  await page.getByRole("button", { name: "Done" }).click();

  const guest = await (await browser.newContext()).newPage();
  await guest.goto(link);
  await guest.getByLabel("Your name").fill("Mette Sand");
  await guest.getByRole("button", { name: "Start" }).click();
  await expect(guest.locator(".review-picture[data-ready]")).toBeVisible();
  const say = async (step: number, text: string, position: { x: number; y: number }) => {
    await guest.locator(`[data-review-step="${step}"] .review-step-main`).click();
    await guest.waitForTimeout(2500);
    await guest.getByRole("button", { name: "Comment", exact: true }).click();
    await guest.getByLabel("Comment", { exact: true }).fill(text);
    await guest.locator(".review-picture").click({ position });
    await guest.getByRole("button", { name: /^Send/ }).click();
  };
  await guest.getByRole("button", { name: "Fine", exact: true }).click();
  await say(2, "The latch could open a little slower.", { x: 480, y: 200 });
  await guest.getByRole("button", { name: "Fine", exact: true }).click();
  await say(3, "Lift the cap further, so that one sees the seal.", { x: 470, y: 410 });
  await guest.getByRole("button", { name: "Change this" }).click();
  await expect(guest.getByText("3 of 12 steps decided")).toBeVisible();
  await shot(guest, "review");
  await page.getByRole("button", { name: "Go to the comment of Mette Sand (guest)" }).last().click();
  await desk.settle();
  await shot(page, "comments");
  await guest.setViewportSize({ width: 390, height: 844 });
  await shot(guest, "review-phone");
  await guest.context().close();
});
