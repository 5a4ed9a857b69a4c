import { readFileSync } from "node:fs";
import type { Browser } from "@playwright/test";
import { key, seconds, sequenceOf } from "../tests/support/assembly";
import { smallProjectFile } from "../tests/support/project";
import { DeskPage, visit } from "./desk";
import { expect, type Page, test } from "./test";

/** Somebody without an account, in a browser of their own. */
async function outsider(browser: Browser, size = { width: 1280, height: 800 }): Promise<Page> {
  const context = await browser.newContext({ viewport: size, reducedMotion: "reduce" });
  return context.newPage();
}

/**
 * Four steps of a small machine, in each of which something moves. The second stands still for so long that it is still
 * there when somebody who watches it play has looked round and begun to say something.
 */
const film = () => {
  const made = sequenceOf([
    { "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] },
    { "root/arm": [key("b", 1, 0.5, { "slide.z": 5 })] },
    { "root/arm": [key("c", 1, 0.5, { "slide.x": 20 })] },
    { "root/arm": [key("d", 1, 0.5, { "slide.z": 0 })] },
  ]);
  made.name = "Move the arm";
  made.stepOrder.forEach((id, i) => {
    const step = made.steps[id];
    if (step)
      Object.assign(step, {
        title: `Part ${i + 1}`,
        caption: `The arm, ${i + 1}.`,
        stillAfter: seconds(i === 1 ? 40 : 1),
      });
  });
  return made;
};

test("a round goes out, is judged by a guest, comes back live, is mended and approved, every act counted", async ({
  page,
  browser,
}) => {
  const acts = { animator: 0, guest: 0 };
  const me = async (work: Promise<unknown>) => {
    acts.animator++;
    await work;
  };
  const they = async (work: Promise<unknown>) => {
    acts.guest++;
    await work;
  };
  await visit(page);
  await page.getByLabel("Project file").setInputFiles({
    ...{ name: "arm.plextan.zip", mimeType: "application/zip" },
    buffer: Buffer.from(smallProjectFile("Arm", film())),
  });
  const desk = new DeskPage(page);
  await desk.ready();

  // The animator sends it.
  await me(page.keyboard.press("Alt+r"));
  await me(page.getByRole("button", { name: "Send for review" }).click());
  await me(page.getByLabel("What to look at").fill("Is the arm far enough out?"));
  await me(page.getByRole("button", { name: "Send", exact: true }).click());
  const link = await page.getByTestId("review-link").innerText();
  await me(page.getByRole("button", { name: "Done" }).click());

  // The guest comes in with a name alone, plays, turns the view.
  const guest = await outsider(browser);
  await they(guest.goto(link));
  await they(guest.getByLabel("Your name").fill("Mette Sand"));
  await they(guest.getByRole("button", { name: "Start" }).click());
  const picture = guest.locator(".review-picture");
  await expect(guest.locator(".review-picture[data-ready]")).toBeVisible();
  await expect(guest.getByText("Is the arm far enough out?")).toBeVisible();
  await expect(guest).toHaveURL(/\/review\?round=[a-z0-9]{20}$/);
  await they(guest.getByRole("button", { name: "Play", exact: true }).click());
  await expect(guest.getByText("The arm, 2.")).toBeVisible();
  const box = (await picture.boundingBox()) as { x: number; y: number; width: number; height: number };
  const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  acts.guest++;
  await guest.mouse.move(middle.x + 200, middle.y + 150);
  await guest.mouse.down();
  await guest.mouse.move(middle.x + 260, middle.y + 160, { steps: 4 });
  await guest.mouse.up();
  await expect(guest.getByRole("button", { name: "Back to the camera" })).toBeVisible();
  const step = (n: number) => guest.locator(`[data-review-step="${n}"] .review-step-main`);

  /** A place of the picture where the arm is, and one on it that can be seen. */
  const armAt = () =>
    guest.evaluate(() => {
      const stage = (
        window as unknown as {
          plextanReview: {
            film: { program: { index: { assembly: { nodes: { key: string }[] } } } };
            player: { pinAt(x: number, y: number): { node: number } | null; canvas: HTMLCanvasElement };
          };
        }
      ).plextanReview;
      const { nodes } = stage.film.program.index.assembly;
      const isArm = (hit: { node: number } | null) => hit !== null && nodes[hit.node]?.key.startsWith("root/arm");
      const { clientWidth: w, clientHeight: h } = stage.player.canvas;
      for (let y = 10; y < h; y += 12)
        for (let x = 10; x < w; x += 12) if (isArm(stage.player.pinAt(x, y))) return { x: x + 3, y: y + 3 };
      throw new Error("The arm is not in the picture.");
    });
  const say = async (text: string, at: () => Promise<{ x: number; y: number }>) => {
    await they(guest.getByRole("button", { name: "Comment", exact: true }).click());
    await they(guest.getByLabel("Comment", { exact: true }).fill(text));
    await they(picture.click({ position: await at() }));
    await expect(guest.getByText(/The pin moves with its part/)).toBeVisible();
  };

  // Two comments on what moves, one of them with a line; a change wanted in step 3, the rest is fine.
  await say("The arm could be brighter here.", armAt);
  await they(guest.getByRole("button", { name: "Draw" }).click());
  acts.guest++;
  await guest.mouse.move(middle.x - 60, middle.y - 60);
  await guest.mouse.down();
  await guest.mouse.move(middle.x + 60, middle.y + 40, { steps: 6 });
  await guest.mouse.up();
  await they(guest.getByRole("button", { name: /^Send/ }).click());
  // What they saw is kept with it, pin and line on it.
  const round = new URL(guest.url()).searchParams.get("round");
  await expect
    .poll(() =>
      guest.evaluate(async (id) => {
        const r = (await (await fetch(`/api/rounds/${id}`)).json()) as { comments: { id: string; picture: boolean }[] };
        const c = r.comments[0];
        if (!c?.picture) return 0;
        const image = await createImageBitmap(await (await fetch(`/api/rounds/${id}/comments/${c.id}/picture`)).blob());
        return image.width;
      }, round),
    )
    .toBeGreaterThan(600);
  await they(step(3).click());
  await expect(guest.locator("[data-review-step='3']")).toHaveClass(/here/);
  // Where the pin of the first stands, when it still does: what is written goes there too.
  const pin = guest.locator(".review-pin:visible");
  await say("Further out, so that one sees the hole.", async () => {
    if ((await pin.count()) === 0) return armAt();
    const [p, room] = [await pin.first().boundingBox(), await picture.boundingBox()];
    if (!p || !room) throw new Error("The pin is not in the picture.");
    return { x: p.x + p.width / 2 - room.x, y: p.y + p.height / 2 - room.y };
  });
  await they(guest.getByLabel("Comment", { exact: true }).press("Control+Enter"));
  await they(guest.getByRole("button", { name: "Change this" }).click());
  await they(step(1).click());
  for (const n of [1, 2, 4]) {
    await expect(guest.locator(`[data-review-step="${n}"]`)).toHaveClass(/here/);
    await they(guest.getByRole("button", { name: "Fine", exact: true }).click());
  }
  await expect(guest.getByText("4 of 4 steps decided")).toBeVisible();

  // It comes to the desk without a reload, on the step cards too; the animator goes there, mends and settles.
  const panel = page.getByRole("region", { name: "Review" });
  await expect(panel.getByText("Further out, so that one sees the hole.")).toBeVisible();
  await expect(panel.getByText("3 of 4 steps are fine.")).toBeVisible();
  await expect(page.getByTitle("One open comment")).toHaveCount(2);
  const go = panel.getByRole("button", { name: "Go to the comment of Mette Sand (guest)" });
  await me(go.nth(1).click());
  await expect(page.locator(".review-pin.chosen")).toBeVisible();
  await expect(page.locator("[data-step=s2]")).toHaveClass(/here/);
  // By hand: the list makes room, the step's arrival is chosen on the timeline, its value typed.
  await me(page.keyboard.press("Alt+r"));
  await desk.marksSettled();
  const arrival = page
    .locator(".timeline-over")
    .getByRole("button", { name: /^Arrival of/ })
    .nth(2);
  const at = (await arrival.boundingBox()) as { x: number; y: number; width: number };
  await me(page.mouse.click(at.x + at.width / 2, at.y + 8));
  await me(desk.type("Slide X at arrival", "40"));
  await desk.saved();
  // In a field that is being typed in letters are letters: by the button.
  await me(page.getByRole("button", { name: /^Review/ }).click());
  // The edit touches what the second comment is about, and not the first.
  await expect(panel.getByText("What this is about has changed since. Settle it?")).toHaveCount(1);
  const settle = panel.getByRole("button", { name: "Settle" });
  await me(settle.nth(1).click());
  await expect(panel.getByText("Further out, so that one sees the hole.")).toHaveCount(0);
  await me(panel.getByRole("button", { name: "Answer" }).click());
  await me(panel.getByLabel("Answer").fill("It is as bright as the material is."));
  await me(panel.getByLabel("Answer").press("Control+Enter"));
  await they(step(2).click());
  await expect(guest.getByText("It is as bright as the material is.")).toBeVisible();
  await me(settle.click());
  await desk.saved();

  // Round two: the guest's page goes on to it by itself and says what changed.
  await me(panel.getByRole("button", { name: "Send round 2" }).click());
  await me(page.getByRole("button", { name: "Send", exact: true }).click());
  await me(page.getByRole("button", { name: "Done" }).click());
  await expect(guest.getByText("Round 2 · Mette Sand, guest")).toBeVisible();
  await expect(guest.locator(".review-picture[data-ready]")).toBeVisible();
  await expect(guest.locator("[data-review-step='3'] .review-change")).toHaveText("changed: motion or look");
  await expect(guest.locator("[data-review-step='1'] .review-change")).toHaveCount(0);
  await expect(guest.locator("[data-review-step='2'] .verdict")).toHaveText("fine");
  // The page begins where something changed.
  await expect(guest.locator("[data-review-step='3']")).toHaveClass(/here/);
  await they(guest.getByRole("button", { name: "Fine", exact: true }).click());
  await expect(guest.getByText("3 of 4 steps decided")).toBeVisible();
  // The page has gone on to what is next; before that the button is still about the step that was decided.
  await expect(guest.locator("[data-review-step='4']")).toHaveClass(/here/);
  // What follows looks another too, as the arm is elsewhere then.
  await they(guest.getByRole("button", { name: "Fine", exact: true }).click());
  await expect(guest.getByText("All steps are fine")).toBeVisible();
  await expect(panel.getByText("Every step is fine.")).toBeVisible();

  // A reload leads to the same place, without asking for the name again.
  await guest.reload();
  await expect(guest.getByText("Round 2 · Mette Sand, guest")).toBeVisible();

  // Approved, it is published: the captions here, since a film takes its time.
  await me(page.getByRole("button", { name: "Publish", exact: true }).click());
  const publish = page.getByRole("dialog");
  await me(publish.getByRole("button", { name: "Add an output" }).click());
  await me(page.getByRole("menuitem", { name: /^Captions/ }).click());
  await me(publish.getByRole("button", { name: /^Make captions/ }).click());
  await expect(publish.getByTestId("publish-result")).toBeVisible();
  await page.keyboard.press("Escape");
  expect(acts.animator).toBeLessThan(45);
  expect(acts.guest).toBeLessThan(25);
  console.log(`review: ${acts.animator} acts of the animator, ${acts.guest} of the guest`);

  // What the first round brought, as one page: the picture with pin and lines, and a table.
  await panel.getByRole("combobox", { name: "Round" }).click();
  await page.locator(".ant-select-item-option", { hasText: "Round 1" }).click();
  await expect(panel.getByText("This is not the latest round.")).toBeVisible();
  const [report] = await Promise.all([
    page.context().waitForEvent("page"),
    panel.getByRole("link", { name: "What this round brought, as one page" }).click(),
  ]);
  await expect(report.getByText("Further out, so that one sees the hole.")).toBeVisible();
  await expect(report.getByText("Settled by Ines Maro").first()).toBeVisible();
  await expect(report.locator(".report-comment img")).toHaveCount(2);
  const brick = await report
    .locator(".report-comment img")
    .first()
    .evaluate(async (img: HTMLImageElement) => {
      await img.decode();
      const c = document.createElement("canvas");
      Object.assign(c, { width: img.naturalWidth, height: img.naturalHeight });
      const context = c.getContext("2d") as CanvasRenderingContext2D;
      context.drawImage(img, 0, 0);
      const { data } = context.getImageData(0, 0, c.width, c.height);
      let n = 0;
      for (let i = 0; i < data.length; i += 4)
        if (
          Math.abs((data[i] as number) - 0xa6) +
            Math.abs((data[i + 1] as number) - 0x3d) +
            Math.abs((data[i + 2] as number) - 0x2f) <
          40
        )
          n++;
      return n;
    });
  // The pin and the line, in their colour.
  expect(brick).toBeGreaterThan(500);
  const [csv] = await Promise.all([report.waitForEvent("download"), report.getByRole("link", { name: "CSV" }).click()]);
  expect(csv.suggestedFilename()).toBe("Move the arm, round 1.csv");
  expect(readFileSync(await csv.path(), "utf8")).toContain("Further out, so that one sees the hole.");
  await report.close();
  await panel.getByRole("combobox", { name: "Round" }).click();
  await page.locator(".ant-select-item-option", { hasText: "Round 2" }).click();

  // Withdrawn, the page says so and shows nothing of it any longer.
  await page.getByRole("button", { name: "Links" }).click();
  await page.getByRole("button", { name: "Withdraw" }).click();
  await guest.getByRole("button", { name: "Next step" }).click();
  await guest.reload();
  await expect(guest.getByText(/This link is not valid, or no longer/)).toBeVisible();
  await expect(guest.locator(".review-picture")).toHaveCount(0);
  await guest.context().close();
});

test("what is said without a network is kept and arrives once; the page fits a phone held either way", async ({
  page,
  browser,
}) => {
  await visit(page);
  await page.getByLabel("Project file").setInputFiles({
    ...{ name: "arm.plextan.zip", mimeType: "application/zip" },
    buffer: Buffer.from(smallProjectFile("Arm offline", film())),
  });
  await new DeskPage(page).ready();
  await page.keyboard.press("Alt+r");
  await page.getByRole("button", { name: "Send for review" }).click();
  await page.getByRole("button", { name: "Send", exact: true }).click();
  const link = await page.getByTestId("review-link").innerText();
  await page.getByRole("button", { name: "Done" }).click();

  const guest = await outsider(browser, { width: 390, height: 844 });
  await guest.goto(link);
  await guest.getByLabel("Your name").fill("Olav");
  await guest.getByRole("button", { name: "Start" }).click();
  await expect(guest.locator(".review-picture[data-ready]")).toBeVisible();
  for (const size of [
    { width: 390, height: 844 },
    { width: 844, height: 390 },
  ]) {
    await guest.setViewportSize(size);
    await expect(guest.getByRole("button", { name: "Play", exact: true })).toBeInViewport();
    const wide = await guest.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    expect(wide).toBeLessThanOrEqual(0);
  }
  await guest.setViewportSize({ width: 390, height: 844 });
  let away = true;
  await guest.route("**/comments", (r) => (away ? r.abort() : r.continue()));
  await guest.getByRole("button", { name: "Comment", exact: true }).click();
  await guest.getByLabel("Comment", { exact: true }).fill("Said in a tunnel.");
  await guest.getByRole("button", { name: /^Send/ }).click();
  await expect(guest.getByText("One comment is kept in this browser")).toBeVisible();
  await guest.reload();
  await expect(guest.getByText("One comment is kept in this browser")).toBeVisible();
  away = false;
  await expect(guest.locator(".thread-text", { hasText: "Said in a tunnel." })).toHaveCount(1);
  await expect(guest.getByText("One comment is kept in this browser")).toHaveCount(0);
  await expect(page.getByRole("region", { name: "Review" }).getByText("Said in a tunnel.")).toHaveCount(1);
  await guest.context().close();
});
