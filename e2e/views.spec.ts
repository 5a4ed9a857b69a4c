import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { smallProject } from "../src/cli/measure/smallProject";
import { DeskPage, loseGraphics, visit } from "./desk";
import { held } from "./held";
import { expect, type Page, test } from "./test";

const AXE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** What axe finds serious or worse on the page as it is, in a few words each. */
async function serious(page: Page): Promise<string[]> {
  if (!(await page.evaluate(() => "axe" in window))) await page.evaluate(AXE);
  return page.evaluate(async () => {
    const { axe } = window as unknown as { axe: typeof import("axe-core") };
    const { violations } = await axe.run(document, {
      runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"],
      resultTypes: ["violations"],
      // Still an experiment of axe's own: it wants every name to begin with what is seen, which values do not.
      rules: { "label-content-name-mismatch": { enabled: false } },
    });
    return (
      violations
        .filter((v) => v.impact === "serious" || v.impact === "critical")
        .flatMap((v) => v.nodes.map((n) => ({ v, n })))
        // The timeline's buttons without a look are for the keyboard: the pointer goes through them to the canvas, and
        // every move is in the list of its step as well.
        .filter(
          ({ v, n }) =>
            v.id !== "target-size" || !document.querySelector(String(n.target[0]))?.closest(".timeline-over"),
        )
        .map(({ v, n }) => `${v.id}: ${n.target.join(" ")} ${n.html.slice(0, 110)}`)
    );
  });
}

/** Things that take part of each other's place, by name. */
async function overlapping(page: Page, selectors: string[]): Promise<string[]> {
  return page.evaluate((list) => {
    const boxes = list.flatMap((s) =>
      [...document.querySelectorAll(s)].map((el) => ({ s, r: el.getBoundingClientRect() })),
    );
    const out: string[] = [];
    boxes.forEach((a, i) => {
      for (const b of boxes.slice(i + 1))
        if (a.r.left < b.r.right && b.r.left < a.r.right && a.r.top < b.r.bottom && b.r.top < a.r.bottom)
          out.push(`${a.s} over ${b.s}`);
    });
    return out;
  }, selectors);
}

test("every view: nothing serious for those who see or point otherwise, nothing said on the console, nothing overlaps", async ({
  page,
}) => {
  const said: string[] = [];
  page.on("pageerror", (e) => said.push(e.message));
  page.on("console", (m) => m.type() === "error" && said.push(m.text()));
  await visit(page);
  await expect(page.getByRole("link", { name: "Rill H2", exact: true }).first()).toBeVisible();
  expect.soft(await serious(page)).toEqual([]);
  const desk = new DeskPage(page);
  await desk.openDemo();
  expect(said).toEqual([]);
  expect.soft(await serious(page)).toEqual([]);

  await test.step("a part, several parts, the curves, the look, the list of moves, publishing", async () => {
    await desk.select("Rill H2/Lid");
    expect.soft(await serious(page)).toEqual([]);
    await desk.field("Find parts").fill("screw");
    await desk.field("Find parts").press("Enter");
    await expect(page.getByRole("heading", { name: /parts selected/ })).toBeVisible();
    // Found, grouped and gone: no error, and the tree is as it was.
    await expect(desk.field("Find parts")).toHaveValue("");
    expect.soft(await serious(page)).toEqual([]);
    await desk.press("Alt+l");
    await expect(page.getByRole("application", { name: "Curves" })).toBeVisible();
    expect.soft(await serious(page)).toEqual([]);
    await desk.press("Alt+l");
    await page.getByRole("button", { name: /^Recording "Open the lid"/ }).press("Enter");
    await expect(page.getByRole("heading", { name: "Recording" })).toBeVisible();
    expect.soft(await serious(page)).toEqual([]);
    await page.getByRole("button", { name: "Look", exact: true }).click();
    expect.soft(await serious(page)).toEqual([]);
    await page.getByRole("button", { name: "Publish", exact: true }).click();
    await expect(page.getByRole("dialog")).toBeVisible();
    expect.soft(await serious(page)).toEqual([]);
    await page.keyboard.press("Escape");
  });

  await test.step("the graphics are reset: it is said, and the same picture comes back", async () => {
    await desk.press("Escape");
    await desk.settle();
    const still = () =>
      page.evaluate(async () => {
        const { plextanDesk: d } = window as unknown as {
          plextanDesk: { view: { still(w: number, h: number): Promise<Blob> } };
        };
        const image = await createImageBitmap(await d.view.still(160, 100));
        const canvas = new OffscreenCanvas(160, 100);
        const c = canvas.getContext("2d") as OffscreenCanvasRenderingContext2D;
        c.drawImage(image, 0, 0);
        return [...c.getImageData(0, 0, 160, 100).data];
      });
    const before = await still();
    const back = await loseGraphics(page, "[data-testid=stage-canvas]");
    await expect(page.getByRole("alert").filter({ hasText: /graphics of this machine were reset/ })).toBeVisible();
    await back();
    await expect(page.getByText(/graphics of this machine were reset/)).toHaveCount(0);
    const after = await still();
    expect(new Set(after).size).toBeGreaterThan(20);
    expect(after.reduce((n, v, i) => n + Math.abs(v - (before[i] ?? 0)), 0) / after.length).toBeLessThan(0.5);
    // What three.js notes about it is no error of ours.
    said.splice(0);
  });

  await test.step("a solid part is drawn as what it wears and with what it is marked, as a see-through one is; each setting of the surroundings shows", async () => {
    const { surfaces, settings } = await drawn(page);
    const apart = (a: readonly number[], b: readonly number[] = []) =>
      a.reduce((sum, v, i) => sum + Math.abs(v - (b[i] ?? 0)), 0) / a.length;
    const plain = surfaces.plain?.solid;
    for (const [name, { solid, clear }] of Object.entries(surfaces)) {
      expect(apart(solid, clear), `${name}, solid and nearly solid`).toBeLessThan(0.5);
      if (name !== "plain") expect(apart(solid, plain), `${name} and plain`).toBeGreaterThan(1);
    }
    for (const [name, picture] of Object.entries(settings)) expect(apart(picture, plain), name).toBeGreaterThan(0.1);
    expect([surfaces, settings].map((o) => Object.keys(o).length)).toEqual([5, 11]);
  });

  await test.step("Escape closes what was opened, wherever the keys are meant for; so does another view", async () => {
    const shown = page.locator(".ant-popover:not(.ant-popover-hidden)");
    for (const name of ["How it plays", "How it arrives", "Snapping"]) {
      await page.getByRole("button", { name, exact: true }).click();
      await expect(shown).toHaveCount(1);
      await desk.press("Escape");
      await expect(shown).toHaveCount(0);
    }
    await page.getByRole("button", { name: "How it plays", exact: true }).click();
    await expect(shown).toHaveCount(1);
    await desk.press("Alt+l");
    await expect(shown).toHaveCount(0);
    await desk.press("Alt+l");
  });

  await test.step("the caption and the tools of the stage keep apart on small screens", async () => {
    for (const [width, height] of [
      [1024, 700],
      [780, 700],
    ] as const) {
      await page.setViewportSize({ width, height });
      await desk.settle();
      // Both are there, or the question would be empty.
      await expect(page.locator(".caption")).toBeVisible();
      await expect(page.locator(".stage-tools.bottom")).toBeVisible();
      expect(await overlapping(page, [".caption", ".stage-tools.bottom", ".stage-tools.top"])).toEqual([]);
      const clipped = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
      expect(clipped).toBeLessThanOrEqual(0);
    }
  });
  expect(said).toEqual([]);
});

/**
 * Pictures of the assembly all in one finish and mark after another, solid and seen through hardly at all; and of it
 * solid in one setting of the surroundings after another.
 */
const drawn = (page: Page) =>
  page.evaluate(async () => {
    const desk = (window as unknown as { plextanDesk: Drawn }).plextanDesk;
    const { view } = desk;
    const { nodes, surroundings } = desk.state.preparation.body;
    const key = { strength: 1, azimuth: 30, elevation: 50 };
    const bare = { light: "studio", key, occlusion: 0, contact: 0, ground: "shadow", edges: { on: false, weight: 1 } };
    const picture = async (finish: object, tint = 0, settings = {}) => {
      const worn = view.index.assembly.nodes.map((n) => [n.key, { finish }] as const);
      view.setLook(Object.fromEntries(worn), { ...surroundings, ...bare, ...settings });
      const pose = view.currentPose;
      pose.tint.fill(tint);
      view.assembly.apply(pose);
      const image = await createImageBitmap(await view.still(160, 100));
      const c = new OffscreenCanvas(160, 100).getContext("2d") as OffscreenCanvasRenderingContext2D;
      c.drawImage(image, 0, 0);
      return [...c.getImageData(0, 0, 160, 100).data];
    };
    const plain = { color: "#B0B4B8", roughness: 0.9, metalness: 0, opacity: 1, emissive: "#000000", glow: 0 };
    const ways: Record<string, readonly [object, number]> = {
      plain: [plain, 0],
      metal: [{ ...plain, metalness: 1 }, 0],
      polished: [{ ...plain, metalness: 1, roughness: 0.1 }, 0],
      glowing: [{ ...plain, emissive: "#40FF40", glow: 1 }, 0],
      marked: [plain, 1],
    };
    const surfaces: Record<string, { solid: number[]; clear: number[] }> = {};
    for (const [name, [finish, tint]] of Object.entries(ways))
      surfaces[name] = {
        solid: await picture(finish, tint),
        clear: await picture({ ...finish, opacity: 0.994 }, tint),
      };
    const settings: Record<string, number[]> = {};
    for (const [name, setting] of Object.entries({
      window: { light: "window" },
      evening: { light: "evening" },
      "a strong key light": { key: { ...key, strength: 2 } },
      "a key light from elsewhere": { key: { ...key, azimuth: -60 } },
      "a low key light": { key: { ...key, elevation: 15 } },
      "dark corners": { occlusion: 1 },
      "dark where parts come near the ground": { contact: 1 },
      "no ground": { ground: "none" },
      "a ground that mirrors": { ground: "reflection" },
      "another background": { background: { top: "#203040", bottom: "#102030" } },
      edges: { edges: { on: true, weight: 1 } },
    }))
      settings[name] = await picture(plain, 0, setting);
    view.setLook(nodes, surroundings);
    desk.seek(0);
    return { surfaces, settings };
  });
interface Drawn {
  view: {
    index: { assembly: { nodes: { key: string }[] } };
    currentPose: { tint: Float64Array };
    assembly: { apply(pose: object): boolean };
    setLook(nodes: object, surroundings: object): void;
    still(width: number, height: number): Promise<Blob>;
  };
  state: { preparation: { body: { nodes: object; surroundings: object } } };
  seek(ticks: number): void;
}

/** What animates a thing that would shimmer, and what is drawn before and after it. */
const shimmering = (page: Page) =>
  page.evaluate(() => {
    const style = document.head.appendChild(document.createElement("style"));
    style.textContent = `@keyframes shimmer { to { opacity: 0 } }
      .shimmer, .shimmer::before, .shimmer::after { content: ""; animation: shimmer 1s infinite }`;
    const thing = document.body.appendChild(document.createElement("div"));
    thing.className = "shimmer";
    const [element, before, after] = ["", "::before", "::after"].map((of) => getComputedStyle(thing, of).animationName);
    thing.remove();
    style.remove();
    return { element, before, after };
  });

test("an assembly that is long on its way shows its tree and boxes at once, then its parts, the largest first", async ({
  page,
  baseURL,
}) => {
  const way = await held(baseURL as string, /package\?as=wire/);
  /** Lets a little more through each time it is looked at: that it is all there is never waited for. */
  const more = <T>(look: () => Promise<T>) =>
    expect.poll(() => {
      way.let(12_000);
      return look();
    });
  try {
    const desk = new DeskPage(page);
    await visit(page, way.url);
    await page.getByRole("link", { name: "Rill H2", exact: true }).first().click();
    const status = page.locator(".arriving-progress");
    await more(() => status.count()).toBe(1);
    const list = page.getByRole("list", { name: "Parts that are coming" });
    await expect(list.getByText("Gear wheel 36T")).toBeVisible();
    await expect(page.getByLabel(/, as far as it has come$/)).toBeVisible();
    const text = async () => (await status.textContent()) ?? "";
    await more(text).toMatch(/^[1-9]\d* of \d+ shapes.*[1-9]%$/);
    expect(await serious(page)).toEqual([]);
    // A bar that tells how much has come has no need to shimmer, which costs as much as what it waits for; and who
    // wants less motion gets none, of what is drawn before and after elements neither.
    await expect(page.locator(".ant-progress")).not.toHaveClass(/status-active/);
    expect(await shimmering(page)).toEqual({ element: "none", before: "none", after: "none" });
    // Above the words of how much has come: that this changes is not what is looked at.
    const box = await page.getByLabel(/, as far as it has come$/).boundingBox();
    if (!box) throw new Error("There is no picture.");
    const look = () => page.screenshot({ clip: { ...box, height: box.height - 140 } });
    const before = await look();
    await more(async () => (await look()).equals(before)).toBe(false);
    const come = async () => Number(/^\d+/.exec(await text())?.[0]);
    const early = await come();
    await more(come).toBeGreaterThan(early);
    way.open();
    await desk.ready();
    await expect(list).toHaveCount(0);
  } finally {
    way.close();
  }
});

test("a step with 200 moves has the rows in sight in the page, and each of them can be come to", async ({ page }) => {
  await visit(page);
  // Who one is has been told once the projects are there.
  await expect(page.getByRole("link", { name: "Rill H2", exact: true }).first()).toBeVisible();
  const moves = 200;
  const file = smallProject(1, "Many moves", moves);
  const opened = await page.request.post("/api/projects/open", {
    data: Buffer.from(file),
    headers: { "Content-Type": "application/octet-stream", Origin: new URL(page.url()).origin },
  });
  expect(opened.status()).toBe(201);
  const { id } = (await opened.json()) as { id: string };
  await visit(page, `/project/${id}`);
  const desk = new DeskPage(page);
  await desk.ready();
  const rows = page.locator(".move-list .move-row");
  await expect(rows.first()).toContainText("Move 001");
  expect(await rows.count()).toBeLessThan(moves / 2);
  const list = page.locator(".details .panel-body");
  for (const share of [0.5, 1]) {
    await list.evaluate((e, s) => {
      const at = e.querySelector(".move-list") as HTMLElement;
      e.scrollTop = at.offsetTop + s * at.offsetHeight - e.clientHeight;
    }, share);
    // No gap: the middle of what is in sight is a row, and so are its ends.
    await expect
      .poll(() =>
        list.evaluate((e) => {
          const { left, top, width, height } = e.getBoundingClientRect();
          return [0.2, 0.5, 0.8].map((y) =>
            Boolean(document.elementFromPoint(left + width / 3, top + y * height)?.closest(".move-row")),
          );
        }),
      )
      .toEqual([true, true, true]);
  }
  await page.getByRole("button", { name: new RegExp(`^Move ${moves}\\b`) }).click();
  await expect.poll(() => page.evaluate("plextanDesk.state.marked.map((m) => m.move).join()")).toBe("m0200");
});

/** Counts, from the next page on, how many components are made anew, and how often the page's rules are changed. */
async function counted(page: Page): Promise<(act: () => Promise<unknown>) => Promise<{ made: number; rules: number }>> {
  // tsx names functions by a helper that the page does not have.
  await page.addInitScript("globalThis.__name = (f) => f");
  await page.addInitScript(() => {
    interface Fiber {
      tag: number;
      flags: number;
      alternate: Fiber | null;
      child: Fiber | null;
      sibling: Fiber | null;
    }
    const seen = { made: 0, rules: 0 };
    // Functions, with what is passed on to them by reference or remembered, and classes; see React's WorkTag.
    const components = new Set([0, 1, 11, 14, 15]);
    const PERFORMED_WORK = 1;
    const count = (first: Fiber | null) => {
      for (let f = first; f; f = f.sibling) {
        if (components.has(f.tag) && (f.alternate === null || (f.flags & PERFORMED_WORK) !== 0)) seen.made++;
        if (f.alternate === null || f.child !== f.alternate.child) count(f.child);
      }
    };
    Object.assign(window, {
      seen,
      // What the library offers to tools that look at it.
      __REACT_DEVTOOLS_GLOBAL_HOOK__: {
        supportsFiber: true,
        inject: () => 1,
        onCommitFiberUnmount: () => {},
        onPostCommitFiberRoot: () => {},
        onCommitFiberRoot: (_: number, root: { current: Fiber }) => count(root.current.child),
      },
    });
    document.addEventListener("DOMContentLoaded", () => {
      new MutationObserver((list) => {
        seen.rules += list.length;
      }).observe(document.head, { childList: true, subtree: true, characterData: true });
    });
  });
  return async (act) => {
    const now = () =>
      page.evaluate(() => ({ ...(window as unknown as { seen: { made: number; rules: number } }).seen }));
    const before = await now();
    await act();
    // What an act brings about later is its own as well: a save, a picture.
    let after = before;
    for (let last = -1; last !== after.made; ) {
      last = after.made;
      await page.waitForTimeout(900);
      after = await now();
    }
    return { made: after.made - before.made, rules: after.rules - before.rules };
  };
}

test("an act makes anew what it shows and no more, and leaves the page's rules alone", async ({ page }) => {
  const count = await counted(page);
  const desk = new DeskPage(page);
  // In the project of all tests what another test does is made anew here as well.
  await desk.openOwnDemo("Counted");
  const parts = await page.evaluate<string[]>(
    `plextanDesk.index.assembly.nodes.filter((n) => n.kind === "part").slice(0, 2).map((n) => n.key)`,
  );
  const choose = (keys: readonly string[]) =>
    page.evaluate(
      (list) => {
        const d = (
          window as unknown as { plextanDesk: { index: { indexOf: Map<string, number> }; select(n: number[]): void } }
        ).plextanDesk;
        d.select(list.map((k) => d.index.indexOf.get(k) as number));
      },
      [...keys],
    );
  const press = (key: string) => page.keyboard.press(key);
  /** About a third more than was counted, so that a component more is none too many and a list of them is. */
  const acts: readonly [name: string, most: number, act: () => Promise<unknown>][] = [
    ["one part", 220, () => choose(parts.slice(0, 1))],
    ["two parts", 145, () => choose(parts)],
    ["hidden", 185, () => press("Control+Shift+H")],
    ["shown again", 240, () => press("Control+Z")],
    ["a frame on", 40, () => press("ArrowRight")],
    ["nothing", 175, () => choose([])],
    [
      "ten pictures",
      100,
      () =>
        page.evaluate(async () => {
          const { view } = (window as unknown as { plextanDesk: { view: { draw(): void } } }).plextanDesk;
          for (let i = 0; i < 10; i++) {
            view.draw();
            await new Promise(requestAnimationFrame);
          }
        }),
    ],
  ];
  await page.getByTestId("stage-canvas").focus();
  // The first time brings in what was never there before.
  for (const [, , act] of acts) await count(act);
  const found: string[] = [];
  for (const [name, most, act] of acts) {
    const { made, rules } = await count(act);
    if (made === 0) found.push(`${name}: nothing was counted`);
    if (made > most || rules > 0) found.push(`${name}: ${made} components of ${most}, ${rules} changes of rules`);
  }
  expect(found).toEqual([]);
});

test("why a typed value was refused hangs under its field, which keeps the keys and says it too", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  const field = desk.field("Sequence time");
  await field.fill("soon");
  await field.press("Enter");
  const tip = page.getByRole("tooltip").filter({ visible: true });
  await expect(tip).toBeVisible();
  await expect(field).toHaveAccessibleDescription(await tip.innerText());
  await expect(field).toBeFocused();
  const [at, under] = [await page.locator(".transport-time .field").boundingBox(), await tip.boundingBox()];
  if (!at || !under) throw new Error("no tip");
  const middle = (b: { x: number; width: number }) => b.x + b.width / 2;
  expect(Math.abs(middle(at) - middle(under))).toBeLessThan(12);
  await field.fill("1");
  await expect(tip).toHaveCount(0);
  await field.press("Enter");
  await expect(field).toHaveValue("1.000");
});

test("the tree of parts by keys alone: opened, gone into, chosen, a range; a search is shown from its beginning", async ({
  page,
}) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  const tree = page.getByRole("tree", { name: "Tree of parts" });
  const chosen = page.locator(".part-row.selected");
  const press = async (...keys: string[]) => {
    for (const key of keys) await tree.press(key);
  };
  // Three groups first, then the machine, which is open; its first sub-assembly is not.
  await press("Home", "ArrowDown", "ArrowDown", "ArrowDown", "ArrowRight");
  const frame = tree.getByRole("treeitem", { name: "Frame" });
  await expect(frame).toHaveAttribute("aria-expanded", "false");
  await press("ArrowRight");
  await expect(frame).toHaveAttribute("aria-expanded", "true");
  await press("ArrowRight", "Enter");
  await expect(chosen).toHaveCount(1);
  await expect(chosen).toHaveAttribute("aria-level", "3");
  await press("ArrowDown", "ArrowDown", "Shift+Enter");
  await expect(page.locator(".details h3")).toHaveText("3 parts selected");
  await press("Control+Space");
  await expect(page.locator(".details h3")).toHaveText("2 parts selected");
  // Out again, and closed.
  await press("ArrowLeft", "ArrowLeft");
  await expect(frame).toHaveAttribute("aria-expanded", "false");
  // Arrow keys in the tree do not step through the film.
  await expect(page.getByText("frame 0 of")).toBeVisible();

  // What is last comes into view; what is looked for then begins at its top.
  await press("End");
  await expect(tree.getByRole("treeitem").last()).toBeInViewport();
  await page.getByLabel("Find parts", { exact: true }).fill("screw");
  const found = page.locator(".part-row").first();
  await expect(found).toHaveAttribute("data-row", "0");
  await expect(found).toBeInViewport();
  // What a search opened can be closed, which changes nothing outside it.
  await press("Home", "ArrowLeft");
  await expect(found).toHaveAttribute("aria-expanded", "false");
  await press("ArrowRight");
  await expect(found).toHaveAttribute("aria-expanded", "true");
  await page.getByLabel("Find parts", { exact: true }).press("Enter");
  await expect(page.locator(".details h3")).toHaveText("11 parts selected");

  // The tabs of a part, too.
  await press("Home", "Enter");
  await page.getByRole("tab", { name: "Move" }).press("ArrowRight");
  await expect(page.getByRole("tab", { name: "Finish" })).toBeFocused();
  await expect(page.getByRole("tabpanel")).toContainText("Metal");
  await page.getByRole("tab", { name: "Finish" }).press("ArrowLeft");
  await expect(page.getByRole("tab", { name: "Move" })).toHaveAttribute("aria-selected", "true");
});
