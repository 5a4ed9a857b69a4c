import { rm } from "node:fs/promises";
import type { Browser, CDPSession, Page } from "@playwright/test";
import { allMove, gridAssembly } from "../../../bench/assembly";
import { indexAssembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../../core/assembly/importSettings";
import { encodePackage } from "../../core/assembly/package";
import { threeQuarterView } from "../../core/camera/camera";
import { emptyPreparation } from "../../core/document/preparation";
import type { Desk } from "../../desk/port";
import { writeProjectFile } from "../../formats/out/project/file";
import { browserTools } from "../browserTools";
import { serve } from "../serve";
import { type Client, openProject, signedIn } from "./client";
import { type Measurement, median } from "./measurement";

const PARTS = 5000;
const FEW = 50;
const MOVING = 500;
/** So often each act is done; the first rounds warm the browser up and are not counted. */
const [ROUNDS, WARMING] = [7, 2];

/** A project of some parts on a grid, of which at most 500 move, as a file. */
function gridProject(parts: number): Uint8Array {
  const pkg = gridAssembly(parts);
  const index = indexAssembly(pkg.assembly);
  const view = threeQuarterView(index.worldBounds.subarray(0, 3), index.worldBounds.subarray(3, 6), 16 / 9, "z");
  const moved = { ...pkg, assembly: { ...pkg.assembly, nodes: [...pkg.assembly.nodes] } };
  let left = MOVING;
  moved.assembly.nodes = moved.assembly.nodes.filter((n) => n.kind !== "part" || left-- > 0);
  return writeProjectFile({
    name: `${parts} parts`,
    source: { name: "grid.obj", bytes: new TextEncoder().encode(`# ${parts}\nv 0 0 0\n`) },
    package: encodePackage(pkg),
    settings: IMPORT_DEFAULTS,
    identities: {},
    documents: [
      { kind: "preparation", body: emptyPreparation() },
      { kind: "sequence", body: allMove(moved, view as unknown as Record<string, number>) },
    ],
  });
}

/** What the interface shows of itself to tests, as far as it is used here. */
interface Shown {
  plextanDesk: Desk & { select(nodes: readonly number[]): void };
}

interface Act {
  name: string;
  /** Brings the desk to where the act begins; not measured. */
  before?(page: Page): Promise<void>;
  /** By keys and the mouse alone: looking for an element would be counted as script of the page. */
  act(page: Page): Promise<void>;
  /** What cannot be done without, over the same data: run in the page. */
  bare: string;
}

const NAMES = "desk.index.assembly.nodes.map((n) => n.name)";
const find = (page: Page) => page.getByLabel("Find parts", { exact: true });
let middle = { x: 0, y: 0 };
/** A place near the middle of the stage where a part lies. */
const partOnStage = (page: Page) =>
  page.evaluate(() => {
    const { view } = (window as unknown as Shown).plextanDesk;
    const box = view?.canvas.getBoundingClientRect();
    if (!view || !box) throw new Error("There is no stage.");
    for (let r = 0; r < box.height / 2; r += 6)
      for (let a = 0; a < 12; a++) {
        const [x, y] = [box.width / 2 + r * Math.cos(a), box.height / 2 + r * Math.sin(a)];
        if (view.pointing.pickAt(x, y)) return { x: box.x + x, y: box.y + y };
      }
    throw new Error("No part is in sight.");
  });
/** Selects the first parts, 500 at most. */
const some = (page: Page) =>
  page.evaluate((most) => {
    const desk = (window as unknown as Shown).plextanDesk;
    const parts = [...desk.index.assembly.nodes.keys()].filter((i) => desk.index.assembly.nodes[i]?.kind === "part");
    desk.select(parts.slice(0, Math.min(most, parts.length)));
  }, MOVING);
const one = (page: Page) =>
  page.evaluate(() => {
    const desk = (window as unknown as Shown).plextanDesk;
    desk.select([desk.index.assembly.nodes.findIndex((n) => n.kind === "part")]);
  });
const none = (page: Page) => page.evaluate(() => (window as unknown as Shown).plextanDesk.select([]));
const stage = (page: Page) => page.getByTestId("stage-canvas").focus();
const FLAGS =
  "const flags = new Uint8Array(desk.index.assembly.nodes.length); for (let i = 0; i < flags.length; i++) flags[i] = i % 3;";

const ACTS: Act[] = [
  {
    name: "find",
    before: async (page) => {
      await find(page).fill("");
      await find(page).pressSequentially("par");
    },
    act: (page) => page.keyboard.press("t"),
    bare: `${NAMES}.filter((n) => n.toLowerCase().includes("part")).length`,
  },
  {
    name: "select-found",
    before: async (page) => {
      await none(page);
      await find(page).fill("part 1");
    },
    act: (page) => page.keyboard.press("Enter"),
    bare: FLAGS,
  },
  {
    name: "hide",
    before: async (page) => {
      await find(page).fill("");
      await some(page);
      await stage(page);
    },
    act: (page) => page.keyboard.press("Control+Shift+H"),
    bare: FLAGS,
  },
  { name: "undo", act: (page) => page.keyboard.press("Control+Z"), bare: FLAGS },
  { name: "see-through", act: (page) => page.keyboard.press("Control+Shift+S"), bare: FLAGS, before: some },
  {
    name: "group",
    before: async (page) => {
      await page.keyboard.press("Control+Z");
      await some(page);
      await stage(page);
    },
    act: async (page) => {
      await page.keyboard.press("Control+G");
      await page.keyboard.press("Escape");
    },
    bare: FLAGS,
  },
  {
    name: "frame-step",
    before: async (page) => {
      await page.keyboard.press("Control+Z");
      await none(page);
      await page.evaluate(() => (window as unknown as Shown).plextanDesk.seek(1e6));
      await stage(page);
    },
    act: (page) => page.keyboard.press("ArrowRight"),
    bare: "const m = new Float64Array(16); for (let i = 0; i < 500; i++) for (let r = 0; r < 4; r++) for (let c = 0; c < 4; c++) { let s = 0; for (let k = 0; k < 4; k++) s += desk.index.homeWorld[16 * i + 4 * k + r] * desk.index.homeWorld[4 * c + k]; m[4 * c + r] = s; }",
  },
  {
    name: "typed-value",
    before: async (page) => {
      await one(page);
      await page.getByLabel("Slide X", { exact: true }).fill("5");
    },
    act: (page) => page.keyboard.press("Enter"),
    bare: FLAGS,
  },
  {
    name: "stage-click",
    before: async (page) => {
      await page.keyboard.press("Escape");
      await page.keyboard.press("Escape");
      await none(page);
      middle = await partOnStage(page);
    },
    act: (page) => page.mouse.click(middle.x, middle.y),
    bare: FLAGS,
  },
  {
    name: "select-all",
    before: async (page) => {
      await none(page);
      await stage(page);
    },
    act: (page) => page.keyboard.press("Control+A"),
    bare: FLAGS,
  },
  { name: "select-none", act: (page) => page.keyboard.press("Escape"), bare: FLAGS },
];

const rest = (page: Page, ms: number) => page.waitForTimeout(ms);

/** Script time of what happens until the page is quiet again, ms. */
async function scriptOf(page: Page, cdp: CDPSession, act: () => Promise<void>): Promise<number> {
  const spent = async () => {
    const { metrics } = await cdp.send("Performance.getMetrics");
    return 1000 * (metrics.find((m) => m.name === "ScriptDuration")?.value ?? 0);
  };
  const before = await spent();
  await act();
  await page.evaluate(() => new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r))));
  await rest(page, 350);
  return (await spent()) - before;
}

interface Opened {
  page: Page;
  cdp: CDPSession;
  /** Seconds from the address to the tree and to the desk with its first picture. */
  opened: { tree: number; desk: number };
}

/** Opens a desk with a project of so many parts. */
async function openDesk(client: Client, url: string, browser: Browser, parts: number): Promise<Opened> {
  const project = await openProject(client, gridProject(parts));
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
  const page = await context.newPage();
  page.setDefaultTimeout(60_000);
  await page.addInitScript(() => {
    localStorage.setItem(
      "plextan-aids",
      JSON.stringify({ working: true, pictures: false, framing: false, proof: false }),
    );
  });
  await page.goto(url);
  const began = performance.now();
  await page.goto(`${url}/project/${project}`, { waitUntil: "commit" });
  // An assembly that is there at once shows no tree of its own on the way.
  await page.waitForSelector(".arriving-parts li, .timeline-scroll");
  const tree = (performance.now() - began) / 1000;
  await page.waitForFunction(() => Boolean((window as unknown as Partial<Shown>).plextanDesk?.view));
  const desk = (performance.now() - began) / 1000;
  const cdp = await context.newCDPSession(page);
  await cdp.send("Performance.enable");
  await rest(page, 3000);
  return { page, cdp, opened: { tree, desk } };
}

/**
 * What common acts cost in script at a desk with 5,000 parts, against the same at one with 50: `ours` and `reference`
 * are ms, so the ratio says how much of an act is in proportion to all parts. The note says what a bare loop over the
 * same data takes, and the least of the rounds, which other work on the machine adds to least.
 */
export async function measureDesk(): Promise<Measurement[]> {
  const folder = "var/measure-desk";
  await rm(folder, { recursive: true, force: true });
  const served = await serve({ databaseFolder: folder, seed: false, env: { PLEXTAN_READERS: "0" } });
  const { launch } = await browserTools();
  const browser = await launch();
  try {
    const client = await signedIn(served.url);
    const taken = new Map<string, { many: number[]; few: number[]; bare: number }>();
    const few = await openDesk(client, served.url, browser, FEW);
    const many = await openDesk(client, served.url, browser, PARTS);
    // In turn, so that what else the machine does meets both alike.
    for (let round = 0; round < ROUNDS; round++)
      for (const { name, before, act } of ACTS) {
        const t = taken.get(name) ?? { many: [], few: [], bare: 0 };
        taken.set(name, t);
        for (const { page, cdp } of [few, many]) {
          await page.bringToFront();
          await before?.(page);
          await rest(page, 400);
          const ms = await scriptOf(page, cdp, () => act(page));
          if (round >= WARMING) (page === many.page ? t.many : t.few).push(ms);
        }
      }
    const { page, cdp, opened } = many;
    for (const { name, bare } of ACTS) {
      const t = taken.get(name);
      if (!t) continue;
      t.bare = (await page.evaluate(
        `(() => { const desk = window.plextanDesk; const once = () => { ${bare} }; for (let i = 0; i < 20; i++) once();
          const began = performance.now(); for (let i = 0; i < 100; i++) once(); return (performance.now() - began) / 100; })()`,
      )) as number;
    }
    await cdp.send("HeapProfiler.collectGarbage");
    const { metrics } = await cdp.send("Performance.getMetrics");
    const heapMb = (metrics.find((m) => m.name === "JSHeapUsedSize")?.value ?? 0) / 1e6;
    return [...taken].map(([name, { many, few, bare }], i) => ({
      name: `desk-${name}`,
      ours: median(many),
      reference: median(few),
      ratio: median(many) / median(few),
      unit: "ms of script",
      note: `with ${PARTS} parts against ${FEW}; at the least ${Math.min(...many).toFixed(0)} and ${Math.min(...few).toFixed(0)} ms; a bare loop over the same takes ${bare.toFixed(2)} ms${i === 0 ? `; opened, the tree was there after ${opened.tree.toFixed(1)} s and the desk after ${opened.desk.toFixed(1)} s; the page's memory ${heapMb.toFixed(0)} MB` : ""}`,
    }));
  } finally {
    await browser.close();
    await served.stop();
    await rm(folder, { recursive: true, force: true });
  }
}
