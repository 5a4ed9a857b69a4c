import { rm } from "node:fs/promises";
import type { Browser, Page } from "puppeteer-core";
import { afterAll, beforeAll, expect, test } from "vitest";
import { openProject, signedIn } from "../../src/cli/measure/client";
import { type Served, serve } from "../../src/cli/serve";
import { key, sequenceOf } from "../support/assembly";
import { firefox } from "../support/firefox";
import { smallProjectFile } from "../support/project";

const FOLDER = "var/test-firefox";
let served: Served;
let browser: Browser;
let end: () => Promise<void> = async () => {};
let project = "";

beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({ databaseFolder: FOLDER, seed: false, env: { PLEXTAN_READERS: "0" } });
  const film = sequenceOf([
    { "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] },
    { "root/arm": [key("b", 1, 0.5, { "slide.z": 5 })] },
  ]);
  project = await openProject(await signedIn(served.url), smallProjectFile("Small", film));
  ({ browser, end } = await firefox());
});
afterAll(async () => {
  await end();
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

/** How many colours the round's picture has: a blank one has one. */
const colours = (page: Page) =>
  page.evaluate(() => {
    const { player } = (window as unknown as { plextanReview: { player: { canvas: HTMLCanvasElement; draw(): void } } })
      .plextanReview;
    // What is drawn is gone with the next task, so it is copied in this one.
    player.draw();
    const canvas = document.createElement("canvas");
    Object.assign(canvas, { width: player.canvas.width, height: player.canvas.height });
    const c = canvas.getContext("2d") as CanvasRenderingContext2D;
    c.drawImage(player.canvas, 0, 0);
    const { data } = c.getImageData(0, 0, canvas.width, canvas.height);
    const seen = new Set<number>();
    for (let i = 0; i < data.length; i += 4 * 97)
      seen.add(((data[i] as number) << 16) | ((data[i + 1] as number) << 8) | (data[i + 2] as number));
    return seen.size;
  });
const press = (page: Page, name: string) => page.locator(`::-p-aria([name="${name}"][role="button"])`).click();

test("the desk in Firefox: it opens, draws, takes a step and keeps it", async () => {
  const page = await browser.newPage();
  page.setDefaultTimeout(60_000);
  await page.goto(`${served.url}/project/${project}`);
  await page.waitForSelector("[data-testid=stage-canvas]");
  await page.waitForFunction(() =>
    Boolean((window as unknown as { plextanDesk?: { view: unknown } }).plextanDesk?.view),
  );
  const cards = () => page.$$eval("[data-step]", (all) => all.length);
  expect(await cards()).toBe(2);
  await press(page, "Add step");
  await page.waitForFunction(() => document.querySelectorAll("[data-step]").length === 3);
  await page.waitForFunction(
    () => document.querySelector("[data-testid=save-state]")?.textContent === "All changes saved",
  );
  const png = await page.evaluate(async () => {
    const { view } = (window as unknown as { plextanDesk: { view: { still(w: number, h: number): Promise<Blob> } } })
      .plextanDesk;
    return (await view.still(320, 180)).size;
  });
  // A blank picture of that size has a few hundred bytes.
  expect(png).toBeGreaterThan(3000);
  await page.reload();
  await page.waitForSelector("[data-step]");
  expect(await cards()).toBe(3);
  await page.close();
});

test("a round in Firefox: a guest comes in by a link, sees the model, plays, comments and decides", async () => {
  const client = await signedIn(served.url);
  const say = async (path: string, body: unknown) => {
    const r = await client.call(path, {
      method: "POST",
      body: JSON.stringify(body),
      headers: { "Content-Type": "application/json" },
    });
    return (await r.json()) as Record<string, string>;
  };
  const { documents } = (await (await client.call(`/api/projects/${project}/documents`)).json()) as {
    documents: { id: string; kind: string; revision: number; body: { stepOrder?: string[] } }[];
  };
  const of = (kind: string) => documents.find((d) => d.kind === kind);
  const print = { words: "w", time: "t", motion: "m" };
  const { round } = await say(`/api/projects/${project}/rounds`, {
    ...{ sequence: of("sequence")?.id, note: "Look at the arm.", keepLinks: false },
    prints: of("sequence")?.body.stepOrder?.map((s) => [s, print]),
    revisions: { sequence: of("sequence")?.revision, preparation: of("preparation")?.revision },
  });
  const { link } = await say(`/api/rounds/${round}/links`, { may: "decide", names: null, password: null, days: 1 });
  const page = await browser.newPage();
  page.setDefaultTimeout(60_000);
  await page.goto(String(link));
  await page.waitForSelector("input");
  await page.type("input", "Mette");
  await press(page, "Start");
  await page.waitForSelector(".review-picture[data-ready]");
  await press(page, "Next step");
  expect(await colours(page)).toBeGreaterThan(8);
  const ticks = () =>
    page.evaluate(
      () => (window as unknown as { plextanReview: { player: { ticks: number } } }).plextanReview.player.ticks,
    );
  const before = await ticks();
  await press(page, "Play");
  // On a slow machine the short film may be over after a frame or two.
  await page.waitForFunction(
    (t) => (window as unknown as { plextanReview: { player: { ticks: number } } }).plextanReview.player.ticks > t,
    {},
    before,
  );
  await press(page, "Comment");
  await page.waitForSelector(".composer textarea");
  await page.type(".composer textarea", "Seen in Firefox.");
  await press(page, "Send (Ctrl+Enter)");
  await page.waitForFunction(() => document.body.textContent?.includes("Seen in Firefox."));
  await press(page, "Fine");
  await page.waitForFunction(() => document.body.textContent?.includes("1 of 3 steps decided"));
  const state = (await (await client.call(`/api/rounds/${round}`)).json()) as {
    comments: { text: string }[];
    decisions: { verdict: string }[];
  };
  expect([state.comments.map((c) => c.text), state.decisions.map((d) => d.verdict)]).toEqual([
    ["Seen in Firefox."],
    ["fine"],
  ]);
  await page.close();
});
