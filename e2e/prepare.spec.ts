import { readFile, writeFile } from "node:fs/promises";
import { nth } from "../src/core/math/packed";
import { DeskPage } from "./desk";
import { expect, test } from "./test";

const AS1 = "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp";
const BRACKET = "as1/l-bracket-assembly_1/l-bracket_1";

test.describe.configure({ mode: "serial" });

test("walk-through: fasteners found, coloured and grouped; a hinge from a picked hole; two looks; a changed copy keeps the work", async ({
  page,
}) => {
  const desk = await DeskPage.newProject(page, "Prepared bracket");
  let actions = 0;
  const act = async (n: number, what: () => Promise<void>) => {
    actions += n;
    await what();
  };
  await act(1, () => desk.bringIn(AS1));

  await test.step("one search finds the fasteners, Enter selects them all", async () => {
    await act(2, async () => {
      await desk.field("Find parts").fill("bolt, nut");
      await expect(page.getByText(/\d+ of 28 found/)).toBeVisible();
      await desk.field("Find parts").press("Enter");
    });
    await expect(page.locator(".details h3")).toHaveText(/\d+ parts selected/);
  });

  await test.step("a finish for all of them in one press", async () => {
    await act(1, () => page.getByRole("button", { name: "Brass", exact: true }).click());
    await expect(page.locator(".details")).toContainText("Brass");
    const finishes = await page.evaluate(() => {
      const { preparation } = (
        window as unknown as {
          plextanDesk: { state: { preparation: { body: { nodes: Record<string, { finish?: { color: string } }> } } } };
        }
      ).plextanDesk.state;
      return Object.values(preparation.body.nodes).flatMap((n) => n.finish?.color ?? []);
    });
    expect(finishes.length).toBeGreaterThanOrEqual(14);
    expect(new Set(finishes)).toEqual(new Set(["#C59B4E"]));
  });

  await test.step("a group of them, named as it is made", async () => {
    await act(2, async () => {
      await desk.press("Control+g");
      await desk.field("New name").fill("Fasteners");
      await desk.field("New name").press("Enter");
    });
    await expect(page.locator(".details h3")).toHaveText("Fasteners");
    await desk.field("Find parts").fill("");
    await expect(page.locator(".part[data-group]")).toHaveText(/Fasteners/);
  });

  await test.step("the group moves as one thing", async () => {
    const key = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1";
    const before = await desk.matrix(key);
    await desk.type("Slide Z", "40");
    const after = await desk.matrix(key);
    expect(nth(after, 14)).toBeCloseTo(nth(before, 14) + 40, 9);
    await page.getByRole("button", { name: "Drop", exact: true }).click();
  });

  await test.step("a hinge by pointing at a hole of the bracket", async () => {
    await act(1, () => desk.select(BRACKET));
    // The rod and the bolts fill its holes.
    await act(1, () => desk.press("Control+Shift+o"));
    await act(3, async () => {
      await page.getByRole("tab", { name: "Joints" }).click();
      await page.getByRole("button", { name: "Add a joint" }).click();
      await page.getByRole("menuitem", { name: /^Hinge:/ }).click();
    });
    await expect(page.locator(".pick-bar")).toContainText("Hinge: point at its axis");
    const at = await desk.featureSpot(BRACKET, ["axis", "circle"]);
    await act(1, async () => {
      await page.mouse.move(at.x, at.y);
      // This file has its holes as free-form faces, so the axis is fitted, and the fit's error is said.
      await expect(page.locator(".pick-bar")).toContainText(
        /(Cylinder|Circle), radius 5 mm \(fitted, off by at most [\d.]+ mm\)/,
      );
      // Its sense is said before it is taken, and turned round by a key.
      const sense = /(right, X|left, −X|back, Y|front, −Y|up, Z|down, −Z)/;
      const said = async () => sense.exec((await page.locator(".pick-bar").textContent()) ?? "")?.[0];
      const before = await said();
      expect(before).toBeTruthy();
      await page.keyboard.press("-");
      await expect.poll(said).not.toBe(before);
      await page.keyboard.press("-");
      await expect.poll(said).toBe(before);
      await page.mouse.click(at.x, at.y);
    });
    await expect(page.getByTestId("joint-editor")).toBeVisible();
    await expect(desk.field("Axis direction")).toHaveValue(/^(along|against) its [XYZ]$/);
    // A full turn is not nothing, and comes back to the same place.
    await desk.type("Time in step", "1.5");
    const home = await desk.matrix(BRACKET);
    const name = await desk.field("Joint name").inputValue();
    await desk.type(`${name} value`, "90");
    expect(await desk.matrix(BRACKET)).not.toEqual(home);
    await desk.type(`${name} value`, "1/4 turn");
    await expect(desk.field(`${name} value`)).toHaveValue("90");
    await desk.type(`${name} value`, "360");
    const turned = await desk.matrix(BRACKET);
    turned.forEach((v, k) => {
      expect(v).toBeCloseTo(nth(home, k), 9);
    });
    await page.getByRole("button", { name: "Keep pose" }).click();
    await expect(page.locator(".pin")).toHaveCount(1);
    await act(1, () => desk.press("Control+Shift+e"));
  });

  await test.step("two looks, and comparing them changes nothing", async () => {
    await act(1, () => page.getByRole("button", { name: "Look", exact: true }).click());
    await act(2, async () => {
      await page.getByRole("button", { name: "Save what is shown as a look" }).click();
      await desk.field("Name of the look").fill("Plain");
      await desk.field("Name of the look").press("Enter");
    });
    await expect(page.locator(".look")).toHaveCount(1);
    await act(2, async () => {
      await page.locator(".ant-select", { has: page.getByLabel("Light", { exact: true }) }).click();
      await page.locator(".ant-select-item-option:visible", { hasText: "Evening" }).click();
    });
    await act(2, async () => {
      await page.getByRole("button", { name: "Save what is shown as a look" }).click();
      await desk.field("Name of the look").fill("Night");
      await desk.field("Name of the look").press("Enter");
    });
    await expect(page.locator(".look")).toHaveCount(2);
    await expect(page.locator(".look img")).toHaveCount(2);
    const compare = page.getByRole("button", { name: "Compare with Plain" });
    await compare.dispatchEvent("pointerdown");
    await expect(compare).toHaveAttribute("aria-pressed", "true");
    await compare.dispatchEvent("pointerup");
    await expect(compare).toHaveAttribute("aria-pressed", "false");
    await act(1, () => page.locator(".look", { hasText: "Plain" }).locator(".look-main").click());
    await expect(page.locator(".look.worn")).toContainText("Plain");
    await expect(page.locator(".ant-select", { has: page.getByLabel("Light", { exact: true }) })).toContainText(
      "Studio",
    );
    await desk.press("Control+z");
    await expect(page.locator(".look.worn")).toContainText("Night");
  });

  const kept = await page.evaluate(() =>
    JSON.stringify(
      (window as unknown as { plextanDesk: { state: { preparation: { body: unknown } } } }).plextanDesk.state
        .preparation.body,
    ),
  );
  await test.step("a changed copy: the report first, then applied, the work in place; undo goes back", async () => {
    await desk.saved();
    const text = await readFile(AS1, "latin1");
    // The copy renames the bracket and the nuts, as a new release of the CAD model would.
    await writeFile(
      "var/as1-rev-b.stp",
      text
        .replaceAll("'l-bracket'", "'angle bracket'")
        .replaceAll("'l-bracket_1'", "'angle bracket_1'")
        .replaceAll("'nut_1'", "'hex nut_1'"),
      "latin1",
    );
    await act(3, async () => {
      await page.getByRole("button", { name: "Assembly", exact: true }).click();
      await page.getByRole("menuitem", { name: "Bring in a revision" }).click();
      await page.getByRole("dialog").getByLabel("CAD file").setInputFiles("var/as1-rev-b.stp");
    });
    const sum = page.getByTestId("report-sum");
    await expect(sum).toBeVisible({ timeout: 120_000 });
    await expect(sum).toContainText("0 gone");
    await expect(sum).toContainText("0 new");
    await expect(sum).toContainText(/[1-9]\d* renamed/);
    await expect(sum).toContainText(/1 step is touched/);
    await act(1, () => page.getByRole("button", { name: "Apply the revision" }).click());
    await desk.ready();
    await expect(desk.part(BRACKET)).toHaveCount(1);
    await expect(page.locator(".part", { hasText: "angle bracket_1" }).first()).toBeVisible();
    const now = await page.evaluate(() =>
      JSON.stringify(
        (window as unknown as { plextanDesk: { state: { preparation: { body: unknown } } } }).plextanDesk.state
          .preparation.body,
      ),
    );
    expect(now).toBe(kept);
    await expect(page.locator(".pin")).toHaveCount(1);
    await expect(page.locator("[data-gone]")).toHaveCount(0);
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(page.locator(".part", { hasText: "l-bracket_1" }).first()).toBeVisible({ timeout: 60_000 });
    await page.getByRole("button", { name: "Redo" }).click();
    await expect(page.locator(".part", { hasText: "angle bracket_1" }).first()).toBeVisible({ timeout: 60_000 });
    await page.reload();
    await desk.ready();
    await expect(page.locator(".part[data-group]")).toHaveText(/Fasteners/);
  });
  // What a practitioner does, each field typed or button pressed counted once.
  expect(actions).toBeLessThanOrEqual(25);
});
