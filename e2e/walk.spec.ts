import { DeskPage } from "./desk";
import { expect, test } from "./test";

const PLUG = "Rill H2/Filter/Drain plug";
const CAP = "Rill H2/Filter/Bayonet cap";
const CARTRIDGE = "Rill H2/Filter/Cartridge";
const LID = "Rill H2/Lid";

/** What the walk-through looks at through the page's own desk. */
interface Seen {
  seek(t: number): void;
  sequence: {
    stepOrder: string[];
    steps: Record<
      string,
      { title: string; moves: Record<string, { kind: string; name: string; settings: Record<string, unknown> }> }
    >;
  };
  program: {
    steps: { start: Float64Array; action: Float64Array; still: Float64Array; length: number };
    reports: Map<string, unknown[]>;
  };
  valueOf(target: unknown, channel: string): number;
  state: { ticks: number; programVersion: number };
  index: { homeWorld: Float64Array; indexOf: Map<string, number> };
}

/**
 * A ten-step explainer made in one go with mouse and keyboard, every act counted: a press of a shortcut, a click, a
 * value typed with Enter, a phrase typed to find a move and taken with Enter.
 */
test("a fresh cartridge explained from an empty sequence, in at most forty-eight acts", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  let acts = 0;
  const began = Date.now();
  const press = async (keys: string) => {
    acts++;
    await desk.press(keys);
  };
  const pick = async (key: string) => {
    acts++;
    await desk.select(key);
  };
  /** Opens the list, types a phrase, takes the first: two acts. It is then being made. */
  const move = async (phrase: string) => {
    acts += 2;
    await desk.press("Alt+M");
    await expect(desk.field("Find a move")).toBeFocused();
    await page.keyboard.type(phrase);
    await page.keyboard.press("Enter");
    await expect(page.getByText("being made")).toBeVisible();
  };
  /** The same, made at once. */
  const make = async (phrase: string) => {
    acts += 2;
    const before = await page.evaluate(
      () =>
        (window as unknown as { plextanDesk: { state: { undoLabel: string | null; programVersion: number } } })
          .plextanDesk.state.programVersion,
    );
    await desk.press("Alt+M");
    await expect(desk.field("Find a move")).toBeFocused();
    await page.keyboard.type(phrase);
    await page.keyboard.press("Control+Enter");
    await page.waitForFunction(
      (v) =>
        (window as unknown as { plextanDesk: { state: { programVersion: number; draft: unknown } } }).plextanDesk.state
          .programVersion > v,
      before,
    );
    await expect(page.getByText("being made")).toHaveCount(0);
  };
  const _set = async (label: string, text: string) => {
    acts++;
    await desk.type(label, text);
  };
  const add = async () => {
    await press("Control+Enter");
    await expect(page.getByText("being made")).toHaveCount(0);
  };
  const nextStep = async () => {
    acts++;
    await page.getByRole("button", { name: "Add step" }).click();
    await desk.settle();
  };
  const see = <T>(read: (d: Seen, arg: never) => T, arg?: unknown): Promise<T> =>
    page.evaluate(
      ([body, a]) =>
        new Function("d", "a", `return (${body})(d, a)`)(
          (window as unknown as { plextanDesk: unknown }).plextanDesk,
          a,
        ),
      [read.toString(), arg] as const,
    ) as Promise<T>;
  const at = async (step: number, after: "action" | "still", channel: string, target: unknown) =>
    see(
      (d, a) => {
        const [i, edge, c, t] = a as [number, "action" | "still", string, unknown];
        d.seek(d.program.steps[edge][i] as number);
        return d.valueOf(t, c);
      },
      [step, after, channel, target],
    );
  const node = (key: string) => ({ type: "node", key });
  const camera = { type: "camera", id: "main" };

  await test.step("a wide still", async () => {
    acts += 3;
    await page.getByRole("button", { name: "Sequence" }).click();
    await page.getByRole("menuitem", { name: "New sequence" }).click();
    await desk.field("Sequence name").fill("A fresh cartridge, quickly");
    await desk.field("Sequence name").press("Enter");
    await expect(page.locator(".head-sequence")).toContainText("quickly");
  });

  await test.step("cut to the drain plug, three and a half turns, left hanging", async () => {
    await nextStep();
    await pick(PLUG);
    await make("fit in 0; unscrew 3.5");
  });

  await test.step("the camera rises and orbits 140 degrees", async () => {
    await nextStep();
    await make("fit in 1; orbit 140° above 12");
  });

  await test.step("the lid to its pose open, with a soft stop; the cap a quarter turn and up", async () => {
    await nextStep();
    await pick(LID);
    await make("named pose soft stop");
    await pick(CAP);
    await move("turn 1/4 turn; take off leaves");
    // Up is free until the open lid's rim; there it leaves the picture.
    acts++;
    await page.getByRole("button", { name: /to Lid shell/ }).click();
    await add();
  });

  await test.step("the cartridge out, beside a fresh one, both labelled, the fresh one in: one act", async () => {
    await nextStep();
    await pick(CARTRIDGE);
    acts += 2;
    await desk.press("Alt+M");
    await page.keyboard.type("fresh one");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("button", { name: /^Replace Cartridge/ })).toBeVisible({ timeout: 60_000 });
    await desk.ready();
  });

  await test.step("cap, lid and plug back by reversed copies", async () => {
    for (const name of [
      "Bayonet cap: take off",
      "Bayonet cap: turn",
      "Lid: go to a named pose",
      "Drain plug: unscrew",
    ]) {
      acts++;
      const block = await desk.mark(name);
      await page.keyboard.down("Control");
      await page.mouse.click(block.x, block.y + 2);
      await page.keyboard.up("Control");
    }
    await nextStep();
    await press("Control+Shift+B");
  });

  await test.step("the crank four turns at steady speed, the camera going along with the plunger", async () => {
    await nextStep();
    acts++;
    await page.locator('[data-group="crank"]').first().click();
    await make("drive 4 turns in 8 s steady");
    acts++;
    await page.locator('[data-group="plunger"]').first().click();
    await make("follow");
  });

  await test.step("a leak check with the rest dimmed", async () => {
    await nextStep();
    await pick("Rill H2/Filter/Drain seal");
    await make("attention dim 80%");
  });

  await test.step("a last still of all of it", async () => {
    await nextStep();
    await make("fit");
  });

  test.info().annotations.push({
    type: "acts",
    description: `${acts} acts in ${Math.round((Date.now() - began) / 1000)} s of machine time`,
  });
  console.log(`walk-through: ${acts} acts`);
  expect(acts).toBeLessThanOrEqual(48);

  await test.step("what was asked for is what is there", async () => {
    await desk.saved();
    expect(await see((d) => d.sequence.stepOrder.length)).toBe(9);
    expect(await see((d) => [...d.program.reports.values()].flat().length)).toBe(0);
    const thread = await see(
      (d) =>
        Object.values(d.sequence.steps[d.sequence.stepOrder[1] as string]?.moves ?? {}).find(
          (m) => m.kind === "unscrew",
        )?.settings.joints as unknown as string[],
    );
    // A right-hand thread comes out to the left, counted positive about its way out.
    expect(await at(1, "still", `joint.${thread[0]}`, node(PLUG))).toBe(1260);
    expect(await at(2, "action", `joint.${thread[0]}`, node(PLUG))).toBe(1260);
    expect((await at(2, "still", "azimuth", camera)) - (await at(2, "action", "azimuth", camera))).toBeCloseTo(140, 9);
    expect(await at(3, "still", "joint.lid", node(LID))).toBe(82);
    expect(await at(3, "still", "joint.cap", node(CAP))).toBe(90);
    expect(
      (await at(6, "still", "joint.crank", { type: "group", id: "crank" })) -
        (await at(6, "action", "joint.crank", { type: "group", id: "crank" })),
    ).toBe(1440);
    // Put back is home, bit for bit.
    await see((d) => d.seek(d.program.steps.length - 1));
    for (const key of [PLUG, CAP, LID]) {
      const home = await see(
        (d, k) =>
          Array.from(
            d.index.homeWorld.subarray(
              16 * (d.index.indexOf.get(k as string) as number),
              16 * (d.index.indexOf.get(k as string) as number) + 16,
            ),
          ),
        key,
      );
      expect(await desk.matrix(key)).toEqual(home);
    }
  });

  await test.step("it is there again after a reload", async () => {
    await page.reload();
    await desk.ready();
    await expect(page.getByRole("button", { name: "Sequence" })).toContainText("A fresh cartridge, quickly");
    await expect(page.locator(".card-title")).toHaveCount(9);
    // So is what could be undone, and redone.
    const last = () => see((d) => Object.keys(d.sequence.steps[d.sequence.stepOrder[8] as string]?.moves ?? {}).length);
    expect(await last()).toBe(1);
    await desk.press("Control+z");
    await expect.poll(last).toBe(0);
    await desk.saved();
    await page.reload();
    await desk.ready();
    expect(await last()).toBe(0);
    await desk.press("Control+Shift+z");
    await expect.poll(last).toBe(1);
  });
});
