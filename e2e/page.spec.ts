import { mkdir, readFile, rm, writeFile } from "node:fs/promises";
import { createRequire } from "node:module";
import path from "node:path";
import { type Browser, chromium } from "@playwright/test";
import { CHROMIUM_ARGS } from "../src/cli/measure/chromium";
import { indexAssembly } from "../src/core/assembly/assembly";
import { preparedAssembly } from "../src/core/assembly/prepared";
import { compile } from "../src/core/program/compile";
import { pose } from "../src/core/program/pose";
import { createPose } from "../src/core/program/sampling";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../tests/support/assembly";
import { hashOf, smallProjectFile } from "../tests/support/project";
import { sound, wav } from "../tests/support/sound";
import { DeskPage, loseGraphics, visit } from "./desk";
import { expect, type Page, test } from "./test";

const FOLDER = path.resolve("var/e2e-page");
const AXE = createRequire(import.meta.url).resolve("axe-core/axe.min.js");
const NASTY = '<img src=x onerror="document.title=1"> & "Größe" <script>document.title=2</script>';

/** Three steps in which the arm turns, with words that would be markup, and something said. */
function film() {
  const tone = wav(Float32Array.from({ length: 24_000 }, (_, i) => Math.sin(i / 20) / 2));
  const s = sequenceOf([
    { "root/arm": [key("a", 1, 0.8, { "turn.x": 400 })] },
    { "root/arm": [key("b", 1.2, 0.5, { "slide.x": 12, "turn.x": 30 })] },
    {},
  ]);
  s.name = NASTY;
  s.picture = { width: 320, height: 180 };
  Object.assign(s.steps.s0 ?? {}, { title: "Turn", caption: "It turns.\nThen it rests.", note: "secret note" });
  Object.assign(s.steps.s1 ?? {}, { title: NASTY, caption: NASTY });
  s.sounds = { v: sound("v", 0.5, "s0", 0.5, { asset: hashOf(tone) }) };
  return { sequence: s, tone };
}

test.beforeAll(() => mkdir(FOLDER, { recursive: true }));
test.afterAll(() => rm(FOLDER, { recursive: true, force: true }));

/** A browser that has no network: what a page would load from anywhere fails. */
async function reader(run: (browser: Browser) => Promise<void>): Promise<void> {
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: [...CHROMIUM_ARGS],
  });
  try {
    await run(browser);
  } finally {
    await browser.close();
  }
}

async function open(
  browser: Browser,
  more: object = {},
  before?: (page: Page) => Promise<unknown>,
): Promise<{ page: Page; said: string[] }> {
  const page = await browser.newPage({
    viewport: { width: 1280, height: 800 },
    offline: true,
    reducedMotion: "no-preference",
    ...more,
  });
  const said: string[] = [];
  page.on("pageerror", (e) => said.push(e.message));
  page.on("console", (m) => ["error", "warning"].includes(m.type()) && said.push(m.text()));
  await before?.(page);
  await page.goto(`file://${FOLDER}/page.html`);
  return { page, said };
}
const alive = (page: Page) => page.waitForFunction(() => "plextanPlayer" in window, null, { timeout: 60_000 });

interface Exposed {
  plextanPlayer: {
    seek(t: number): void;
    draw(): void;
    pause(): void;
    ticks: number;
    playing: boolean;
    looking: boolean;
    step: number;
    posed: { world: Float64Array };
  };
}
const player = <T>(page: Page, of: (p: Exposed["plextanPlayer"]) => T): Promise<T> =>
  page.evaluate(`(${of.toString()})(window.plextanPlayer)`) as Promise<T>;

test("a page is made, opens from disk without a network, plays, steps, is looked round in, and poses as the film does", async ({
  page: desk,
}) => {
  const { sequence, tone } = film();
  await writeFile(`${FOLDER}/small.plextan.zip`, smallProjectFile("Small", sequence, [tone]));
  await visit(desk);
  await desk.getByLabel("Project file").setInputFiles(`${FOLDER}/small.plextan.zip`);
  await new DeskPage(desk).ready();
  // A click on the arm plays the second step's move, and so does a key.
  await desk
    .getByRole("button", { name: "root/arm", exact: true })
    .or(desk.locator("[data-step=s1] .card-main"))
    .first()
    .click();
  await desk.locator(".move-main").first().click();
  await desk.getByRole("switch", { name: "A click on the page plays it" }).click();
  await desk.getByLabel("Key on the page").fill("turn");
  await desk.getByLabel("Key on the page").press("Enter");
  await expect(desk.getByText("One letter or digit, or nothing.")).toBeVisible();
  await desk.getByLabel("Key on the page").fill("t");
  await desk.getByLabel("Key on the page").press("Enter");
  await expect(desk.getByLabel("Key on the page")).toHaveValue("T");
  await desk.getByRole("button", { name: "Publish", exact: true }).click();
  await desk.getByRole("button", { name: "Add an output" }).click();
  await desk.getByRole("menuitem", { name: /^Interactive page/ }).click();
  await desk.getByRole("button", { name: "Make interactive page" }).click();
  await expect(desk.getByTestId("publish-result")).toContainText("3 steps", { timeout: 120_000 });
  const download = desk.waitForEvent("download");
  await desk.getByRole("link", { name: "Download", exact: true }).click();
  await (await download).saveAs(`${FOLDER}/page.html`);
  const html = await readFile(`${FOLDER}/page.html`, "utf8");
  expect(html).not.toMatch(/src="?http|href="?http|secret note/);
  expect(html).toContain("default-src 'none'");

  await reader(async (browser) => {
    const { page, said } = await open(browser);
    await alive(page);
    expect(await page.title()).toBe(NASTY);
    await expect(page.getByRole("heading", { level: 1 })).toHaveText(NASTY);
    await expect(page.locator("#steps li p").nth(1)).toHaveText(NASTY);
    expect(await page.locator("#steps li p").first().innerText()).toBe("It turns.\nThen it rests.");

    // What draws was opened by the page's first words, as whoever draws with it asks for it.
    const asked = await page.evaluate(() => {
      const canvas = document.getElementById("picture") as HTMLCanvasElement;
      const begun = canvas === (window as { plextanCanvas?: HTMLCanvasElement }).plextanCanvas;
      const { antialias, alpha, depth, stencil } = canvas.getContext("webgl2")?.getContextAttributes() ?? {};
      return { begun, antialias, alpha, depth, stencil };
    });
    expect(asked).toEqual({ begun: true, antialias: true, alpha: true, depth: true, stencil: false });

    // A size that is told anew and is no other draws nothing.
    const drawn = await player(page, (p) => {
      let n = 0;
      const draw = p.draw;
      p.draw = () => {
        n++;
      };
      dispatchEvent(new Event("resize"));
      p.draw = draw;
      return n;
    });
    expect(drawn).toBe(0);

    // The same poses as the program gives, at times all over.
    const prepared = preparation();
    const pkg = cubePackage();
    const program = compile(indexAssembly(preparedAssembly(pkg.assembly, prepared)), prepared, sequence);
    const at = createPose(program);
    const times = Array.from({ length: 200 }, (_, i) =>
      Math.floor((i * 0.00517 * program.steps.length) % program.steps.length),
    );
    const worlds = (await page.evaluate((list) => {
      const { plextanPlayer: p } = window as unknown as Exposed;
      return list.map((t) => {
        p.seek(t);
        p.draw();
        return [...p.posed.world];
      });
    }, times)) as number[][];
    let off = 0;
    times.forEach((t, i) => {
      pose(program, t, at);
      at.world.forEach((v, k) => {
        off = Math.max(off, Math.abs(v - (worlds[i]?.[k] ?? Number.NaN)));
      });
    });
    // Sines of two engines differ in their last bit.
    expect(off).toBeLessThan(1e-12);

    await test.step("by pointer: a step, play, the scrubber, looking round and back", async () => {
      await page.locator("#steps button").nth(1).click();
      await expect.poll(() => player(page, (p) => p.playing)).toBe(true);
      // It stops where the step ends.
      await expect.poll(() => player(page, (p) => p.playing), { timeout: 20_000 }).toBe(false);
      expect(Math.abs((await player(page, (p) => p.ticks)) - 6 * 705_600_000)).toBeLessThan(2);
      await page.getByRole("slider", { name: "Time" }).fill(String(seconds(1.25)));
      expect(await player(page, (p) => p.step)).toBe(0);
      await expect(page.locator("#caption")).toHaveText("It turns.\nThen it rests.");
      const box = await page.locator("#picture").boundingBox();
      const [x, y] = [(box?.x ?? 0) + 300, (box?.y ?? 0) + 200];
      await page.mouse.move(x, y);
      await page.mouse.down();
      await page.mouse.move(x + 80, y + 20, { steps: 4 });
      await page.mouse.up();
      expect(await player(page, (p) => p.looking)).toBe(true);
      await page.getByRole("button", { name: "Back to the camera" }).click();
      expect(await player(page, (p) => p.looking)).toBe(false);
    });
    await test.step("a trigger: by its part, half way back and forth without a jump, by its key, by its button", async () => {
      await player(page, (p) => p.seek(0));
      await player(page, (p) => p.draw());
      const spot = await page.evaluate(() => {
        const p = (
          window as unknown as {
            plextanPlayer: { partAt(x: number, y: number): number; triggersAt(n: number): unknown[] };
          }
        ).plextanPlayer;
        const r = document.getElementById("picture")?.getBoundingClientRect() as DOMRect;
        for (let y = 10; y < r.height; y += 4)
          for (let x = 10; x < r.width; x += 4) {
            const node = p.partAt(x, y);
            if (node >= 0 && p.triggersAt(node).length > 0) return { x: r.left + x, y: r.top + y };
          }
        return null;
      });
      if (!spot) throw new Error("Nothing to click is in sight.");
      await page.mouse.move(spot.x, spot.y);
      await expect(page.locator("#name")).toContainText("click, root/arm");
      const button = page.getByRole("button", { name: /^root\/arm/ });
      await expect(button).toHaveAttribute("aria-pressed", "false");
      // How far it is, every frame from now on.
      await page.evaluate(() => {
        const { plextanPlayer: p } = window as unknown as Exposed;
        const seen: number[] = [];
        Object.assign(window, { seen });
        const look = () => {
          seen.push(p.posed.world[16 * 2 + 12] as number);
          requestAnimationFrame(look);
        };
        look();
      });
      const places = () => page.evaluate(() => (window as unknown as { seen: number[] }).seen);
      await page.mouse.click(spot.x, spot.y);
      await expect(button).toHaveAttribute("aria-pressed", "true");
      await page.keyboard.press("t");
      await expect(button).toHaveAttribute("aria-pressed", "false");
      await button.click();
      await expect(button).toHaveAttribute("aria-pressed", "true");
      // The last press plays it, for as long as the machine takes.
      const way = (seen: readonly number[]) => Math.max(...seen) - Math.min(...seen);
      await expect.poll(async () => way(await places())).toBeGreaterThan(5);
      await page.waitForTimeout(900);
      const seen = await places();
      const jumps = seen.slice(1).map((v, i) => Math.abs(v - (seen[i] as number)));
      // Half a second for twelve millimetres: a frame of a machine that is held up is a few of them, never all.
      expect(Math.max(...jumps)).toBeLessThan(6);
      await expect(page.locator("#player > p[aria-live]")).toHaveText(/root\/arm: played$/);
      // The film goes on: what was open is put back, and it is said.
      await page.keyboard.press("Home");
      await expect(button).toHaveAttribute("aria-pressed", "false");
      await expect(page.locator("#name")).toHaveText(/^Put back: root\/arm/);
      await expect(page.locator("#player > p[aria-live]")).toHaveText(/^Put back: root\/arm/);
    });
    await test.step("parts are hidden and shown, with all that is in them", async () => {
      await page.getByRole("button", { name: "Parts" }).click();
      const boxes = page.locator("#parts input");
      await boxes.first().uncheck();
      await expect(boxes.first()).not.toBeChecked();
      await page.getByRole("button", { name: "Show all" }).click();
      await expect(boxes.first()).toBeChecked();
      await page.getByRole("button", { name: "Parts" }).click();
    });
    await test.step("by keyboard alone", async () => {
      await page.locator("#picture").focus();
      await page.keyboard.press("Home");
      await expect.poll(() => player(page, (p) => p.playing)).toBe(true);
      await page.keyboard.press("Space");
      expect(await player(page, (p) => p.playing)).toBe(false);
      await page.keyboard.press("ArrowRight");
      expect(await player(page, (p) => p.step)).toBe(1);
      await page.keyboard.press("+");
      expect(await player(page, (p) => p.looking)).toBe(true);
      await page.keyboard.press("Escape");
      expect(await player(page, (p) => p.looking)).toBe(false);
      await page.keyboard.press("Tab");
      expect(await page.evaluate(() => document.activeElement?.tagName)).toBe("BUTTON");
    });
    await test.step("the graphics are reset, and the same picture comes back", async () => {
      await player(page, (p) => p.pause());
      const picture = page.locator("#picture");
      // Words over the picture are in its screenshot, and go by themselves.
      await expect(page.locator("#name")).not.toContainText("Put back");
      // The view is on its way back from the free look, and is drawn finely only once it is there.
      let before = await picture.screenshot();
      await expect
        .poll(async () => {
          const last = before;
          before = await picture.screenshot();
          return before.equals(last);
        })
        .toBe(true);
      const back = await loseGraphics(page, "#picture");
      await back();
      await expect.poll(async () => (await picture.screenshot()).equals(before)).toBe(true);
    });
    await test.step("axe finds nothing serious; nothing was said on the console", async () => {
      await player(page, (p) => p.pause());
      // The page lets no script in but its own: axe is put in by the browser's own hand.
      const cdp = await page.context().newCDPSession(page);
      await cdp.send("Runtime.evaluate", { expression: await readFile(AXE, "utf8") });
      const found = await page.evaluate(async () => {
        const { axe } = window as unknown as { axe: typeof import("axe-core") };
        const { violations } = await axe.run(document);
        return violations
          .filter((v) => v.impact === "serious" || v.impact === "critical")
          .map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 80)).join(" | ")}`);
      });
      expect(found).toEqual([]);
      expect(said).toEqual([]);
    });
    await page.close();

    await test.step("360 px wide nothing sticks out; who wants less motion is shown what a step comes to", async () => {
      const { page: narrow } = await open(browser, {
        viewport: { width: 360, height: 720 },
        reducedMotion: "reduce",
        hasTouch: true,
      });
      await alive(narrow);
      expect(await narrow.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360);
      await narrow.getByRole("button", { name: "Next step" }).tap();
      expect(await player(narrow, (p) => [p.step, p.playing, Math.round(p.ticks / 705_600)] as const)).toEqual([
        1,
        false,
        5500,
      ]);
      await narrow.emulateMedia({ media: "print" });
      await expect(narrow.locator("#steps img").first()).toBeVisible();
      await expect(narrow.locator("#player")).toBeHidden();
      await narrow.close();
    });
    await test.step("without WebGL there are pictures with their captions, and it is said", async () => {
      const { page: poor } = await open(browser, {}, (p) =>
        p.addInitScript(() => {
          HTMLCanvasElement.prototype.getContext = () => null;
        }),
      );
      await expect(poor.getByRole("status")).toContainText("This browser cannot draw the model in 3D");
      await expect(poor.locator("#steps img")).toHaveCount(3);
      await expect(poor.locator("#steps img").nth(1)).toBeVisible();
      await poor.close();
    });
  });
});
