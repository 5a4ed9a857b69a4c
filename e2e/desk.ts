import { expect, type Locator, type Page } from "@playwright/test";
import { readProjectFile, writeProjectFile } from "../src/formats/out/project/file";

/** Opens a page and waits until it is alive: before that its buttons are only a picture. */
export async function visit(page: Page, path = "/"): Promise<void> {
  await page.goto(path);
  await page.locator("html[data-alive]").waitFor({ state: "attached" });
}

/** The desk as a user meets it: helpers for the browser tests. */
export class DeskPage {
  constructor(readonly page: Page) {}

  static async newProject(page: Page, name: string): Promise<DeskPage> {
    await visit(page);
    await page.getByRole("button", { name: "New project" }).click();
    await page.getByLabel("Project name").fill(name);
    await page.getByRole("button", { name: "Make project" }).click();
    await expect(page.getByRole("heading", { name })).toBeVisible();
    return new DeskPage(page);
  }

  /** Opens a file through the drop area's own input and waits for the desk. */
  async bringIn(path: string): Promise<void> {
    await this.page.getByLabel("CAD file").setInputFiles(path);
    await this.ready(120_000);
  }

  async ready(timeout = 120_000): Promise<void> {
    await expect(this.page.getByTestId("stage-canvas")).toBeVisible({ timeout });
    await this.page.waitForFunction(
      () => Boolean((window as unknown as { plextanDesk?: { view: unknown } }).plextanDesk?.view),
      null,
      { timeout },
    );
    await this.settle();
  }

  /** Waits until the stage has drawn what it was last told. */
  async settle(): Promise<void> {
    await this.page.evaluate(() => new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r))));
  }

  async saved(): Promise<void> {
    await expect(this.page.getByTestId("save-state")).toHaveText("All changes saved");
  }

  async openDemo(): Promise<void> {
    await visit(this.page);
    await this.page.getByRole("link", { name: "Rill H2", exact: true }).first().click();
    await this.ready();
  }

  /** Opens the demo as a project of its own, in which no other test works. */
  async openOwnDemo(name: string): Promise<void> {
    const { page } = this;
    await visit(page);
    const demo = page.getByRole("link", { name: "Rill H2", exact: true }).first();
    const at = (await demo.getAttribute("href"))?.split("/").pop();
    const file = await page.request.get(`/api/projects/${at}/file`);
    expect(file.status()).toBe(200);
    const opened = await page.request.post("/api/projects/open", {
      data: Buffer.from(writeProjectFile({ ...readProjectFile(await file.body()), name })),
      headers: { "Content-Type": "application/octet-stream", Origin: new URL(page.url()).origin },
    });
    expect(opened.status()).toBe(201);
    await visit(page, `/project/${((await opened.json()) as { id: string }).id}`);
    await this.ready();
  }

  field(label: string): Locator {
    return this.page.getByLabel(label, { exact: true });
  }

  /** Types into a field as a user does: click, replace, Enter. */
  async type(label: string, text: string): Promise<void> {
    const field = this.field(label);
    await field.click();
    await field.fill(text);
    await field.press("Enter");
  }

  /** Selects a node, opening the tree down to it as finding it by name would. */
  async select(key: string): Promise<void> {
    await this.page.evaluate((k) => {
      const desk = (
        window as unknown as { plextanDesk: { index: { indexOf: Map<string, number> }; select(n: number[]): void } }
      ).plextanDesk;
      desk.select([desk.index.indexOf.get(k) as number]);
    }, key);
    await this.part(key).click();
  }

  /** A place on the page where a pick takes a feature of a part, of one of some kinds. */
  async featureSpot(
    key: string,
    kinds: string[],
    asked = ["axis", "circle", "edge-middle", "face"],
  ): Promise<{ x: number; y: number }> {
    await this.settle();
    const at = await this.page.evaluate(
      ([k, wanted, among]) => {
        const desk = (
          window as unknown as {
            plextanDesk: {
              index: { indexOf: Map<string, number> };
              view: {
                draw(): void;
                canvas: HTMLCanvasElement;
                pointing: {
                  featureAt(x: number, y: number, kinds: string[]): { node: number; feature: { kind: string } } | null;
                };
              };
            };
          }
        ).plextanDesk;
        desk.view.draw();
        const r = desk.view.canvas.getBoundingClientRect();
        const node = desk.index.indexOf.get(k as string);
        for (let y = 60; y < r.height - 60; y += 3)
          for (let x = 20; x < r.width - 20; x += 3) {
            const found = desk.view.pointing.featureAt(x, y, among as string[]);
            if (found?.node === node && (wanted as string[]).includes(found?.feature.kind ?? ""))
              return { x: r.left + x, y: r.top + y };
          }
        return null;
      },
      [key, kinds, asked] as const,
    );
    if (!at) throw new Error(`No ${kinds.join(" or ")} of ${key} is in sight.`);
    return at;
  }

  part(key: string): Locator {
    return this.page.locator(`[data-part="${key}"]`);
  }

  /** Chooses an option of a list by its label. */
  async choose(label: string, option: string | RegExp): Promise<void> {
    await this.page
      .locator(".ant-select", { has: this.page.getByLabel(label, { exact: true }) })
      .last()
      .click();
    await this.page
      .locator(".ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option", { hasText: option })
      .first()
      .click();
  }

  /** Says what playing does at the end. */
  async atEnd(what: string): Promise<void> {
    await this.page.getByRole("button", { name: "How it plays" }).click();
    await this.choose("At the end", what);
    await this.page.keyboard.press("Escape");
    await this.page.getByTestId("frame").click();
  }

  /** Waits until the timeline's marks are those of what is drawn; a scroll is told in the next frame. */
  async marksSettled(): Promise<void> {
    await this.page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
    await expect(this.page.locator(".timeline-over")).toHaveAttribute("aria-busy", "false");
  }

  /**
   * Where a mark of the timeline (a pin, a block) is on the page, its upper part in the middle; scrolled to where it
   * is on other lanes.
   */
  async mark(name: string | RegExp, exact = true): Promise<{ x: number; y: number; width: number }> {
    const scroller = this.page.locator(".timeline-scroll");
    const marks = this.page.locator(".timeline-over").getByRole("button", { name, exact });
    for (let top = -1; top < 1500; top += top < 0 ? 1 : 104) {
      if (top >= 0) await scroller.evaluate((el, y) => (el as HTMLElement).scrollTo({ top: y }), top);
      await this.marksSettled();
      const plane = await scroller.boundingBox();
      for (let i = 0; i < (await marks.count()); i++) {
        const box = await marks.nth(i).boundingBox();
        if (plane && box && box.y >= plane.y + 50 && box.y + 16 < plane.y + plane.height)
          return { x: box.x + box.width / 2, y: box.y + 8, width: box.width };
      }
    }
    throw new Error(`There is no ${name} in the timeline.`);
  }

  /** Drags by the mouse from a place by so many px. */
  async drag(from: { x: number; y: number }, dx: number, dy: number, hold?: string): Promise<void> {
    const { mouse, keyboard } = this.page;
    await mouse.move(from.x, from.y);
    await mouse.down();
    await mouse.move(from.x + dx / 2, from.y + dy / 2, { steps: 3 });
    if (hold) await keyboard.down(hold);
    await mouse.move(from.x + dx, from.y + dy, { steps: 3 });
    await mouse.up();
    if (hold) await keyboard.up(hold);
  }

  /** Presses a shortcut with the stage in focus. */
  async press(keys: string): Promise<void> {
    await this.page.getByTestId("stage-canvas").focus();
    await this.page.keyboard.press(keys);
  }

  /** Canvas position of a handle's bead. */
  async bead(id: object, turnedDeg = 0): Promise<{ x: number; y: number }> {
    await this.settle();
    const box = await this.page.getByTestId("stage-canvas").boundingBox();
    const at = await this.page.evaluate(
      ([handle, deg]) => {
        const view = (
          window as unknown as {
            plextanDesk: {
              view: {
                draw(): void;
                camera: unknown;
                handles: { beadPosition(h: unknown, c: unknown, d: unknown): { x: number; y: number } | null };
              };
            };
          }
        ).plextanDesk.view;
        view.draw();
        return view.handles.beadPosition(handle, view.camera, deg);
      },
      [id, turnedDeg] as const,
    );
    if (!box || !at) throw new Error("The handle is not shown.");
    return { x: box.x + ((at.x + 1) / 2) * box.width, y: box.y + ((1 - at.y) / 2) * box.height };
  }

  /** World matrix of a node as the stage shows it, 16 numbers. */
  async matrix(key: string): Promise<number[]> {
    return this.page.evaluate((k) => {
      const desk = (
        window as unknown as {
          plextanDesk: {
            index: { indexOf: Map<string, number> };
            view: { draw(): void; currentPose: { world: Float64Array } };
          };
        }
      ).plextanDesk;
      desk.view.draw();
      const i = desk.index.indexOf.get(k) as number;
      return Array.from(desk.view.currentPose.world.subarray(16 * i, 16 * i + 16));
    }, key);
  }
}

/**
 * Takes a canvas's graphics away, as a driver does that is updated or a machine that wakes up.
 * @returns what gives them back
 */
export async function loseGraphics(page: Page, canvas: string): Promise<() => Promise<void>> {
  const lost = await page.evaluateHandle((selector) => {
    const context = document.querySelector<HTMLCanvasElement>(selector)?.getContext("webgl2");
    const extension = context?.getExtension("WEBGL_lose_context");
    if (!extension) throw new Error("This canvas has no graphics to lose.");
    extension.loseContext();
    return extension;
  }, canvas);
  return () => lost.evaluate((e) => e.restoreContext());
}
