import { nth } from "../src/core/math/packed";
import type { Triple } from "../src/core/math/triple";
import { DeskPage } from "./desk";
import { expect, type Page, test } from "./test";

const CUBE = "node_modules/occt-import-js/test/testfiles/cube-units/cube-mm.step";

/** What the desk knows, read off for comparing; acting is done with mouse and keyboard alone. */
const read = <T>(page: Page, expression: string): Promise<T> =>
  page.evaluate(`(() => { const desk = window.plextanDesk; return ${expression}; })()`) as Promise<T>;

/** An ascii STL of a box from the origin, in whatever unit. */
function stl([w, d, h]: Triple): string {
  const p = (i: number) => `${i & 1 ? w : 0} ${i & 2 ? d : 0} ${i & 4 ? h : 0}`;
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  const facet = (a: number, b: number, c: number) =>
    `facet normal 0 0 0\nouter loop\nvertex ${p(a)}\nvertex ${p(b)}\nvertex ${p(c)}\nendloop\nendfacet\n`;
  return `solid box\n${quads.map(([a, b, c, e]) => facet(a as number, b as number, c as number) + facet(a as number, c as number, e as number)).join("")}endsolid box\n`;
}

test("the crank's slider moves the whole drive; a follower leads back to its driver", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  const rod = "Rill H2/Pump/Connecting rod";
  const plunger = "Rill H2/Pump/Plunger set";
  const pinion = "Rill H2/Crank drive/Pinion set/Pinion 12T";
  const home = { rod: await desk.matrix(rod), plunger: await desk.matrix(plunger), pinion: await desk.matrix(pinion) };
  await page.locator('.part[data-group="crank"]').click();
  const slider = page.getByRole("slider", { name: "Crank slider" });
  await slider.focus();
  for (let i = 0; i < 10; i++) await page.keyboard.press("ArrowRight");
  await expect(desk.field("Crank value")).toHaveValue("10");
  for (const [key, before] of [
    [rod, home.rod],
    [plunger, home.plunger],
    [pinion, home.pinion],
  ] as const)
    expect(await desk.matrix(key)).not.toEqual(before);
  // A third of a turn of the crank is a whole turn of the pinion: everything behind it is home again.
  await desk.type("Crank value", "120");
  for (const [key, before] of [
    [rod, home.rod],
    [plunger, home.plunger],
    [pinion, home.pinion],
  ] as const)
    (await desk.matrix(key)).forEach((v, k) => {
      expect(v).toBeCloseTo(nth(before, k), 6);
    });
  await page.getByRole("button", { name: "Drop", exact: true }).click();

  // The plunger's own value is solved back to the crank, by way of rod, pinion and gears.
  await page.locator('.part[data-group="plunger"]').click();
  await expect(page.getByText("follows Pinion")).toBeVisible();
  await desk.type("Stroke value", "-8");
  await expect(desk.field("Stroke value")).toHaveValue("-8");
  expect(await read<string[]>(page, "Object.keys(desk.state.pending)")).toEqual(["g:crank"]);
  // Moving it by hand would part it from its driver.
  await desk.type("Slide X", "5");
  await expect(page.getByText(/Plunger and pin follows "Pinion" of Pinion and disc/)).toBeVisible();
  await desk.press("Escape");
  await desk.press("Control+Backspace");

  // A link that would run in a circle is refused with its path.
  await page.locator('.part[data-group="crank"]').click();
  await page.getByRole("tab", { name: "Joints" }).click();
  await page.locator(".ant-select", { has: page.getByLabel("Follows", { exact: true }) }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: /^Stroke$/ }).click();
  await expect(
    page.getByText(/The links run in a circle: Pinion drives Stroke drives Crank drives Pinion/),
  ).toBeVisible();

  // Hard limits stop the lid; a named pose opens it.
  await desk.select("Rill H2/Lid");
  await page.getByRole("tab", { name: "Move" }).click();
  await page.getByRole("button", { name: "open", exact: true }).click();
  await expect(desk.field("Lid opening value")).toHaveValue("82");
  await desk.type("Lid opening value", "200");
  await expect(desk.field("Lid opening value")).toHaveValue("84");
  await desk.press("Control+Backspace");
  await expect(page.getByRole("button", { name: "Undo" })).toBeDisabled();
});

test("parts tree: rename, lock, hide, only, see through, groups by dragging, ranges, filters, the menu", async ({
  page,
}) => {
  // Tall enough that a part and the group it is dragged to are both in sight.
  await page.setViewportSize({ width: 1280, height: 1500 });
  const desk = new DeskPage(page);
  await desk.openDemo();
  const undos: string[] = [];
  const nodes = (key: string) =>
    read<Record<string, unknown>>(page, `desk.state.preparation.body.nodes[${JSON.stringify(key)}] ?? {}`);
  const latch = "Rill H2/Lid/Latch";
  await desk.select(latch);
  await desk.press("F2");
  await desk.field("New name").fill("Catch");
  await desk.field("New name").press("Enter");
  undos.push("rename");
  await expect(desk.part(latch)).toContainText("Catch");
  await desk.press("Control+Shift+l");
  undos.push("lock");
  await expect(desk.part(latch).getByLabel("Locked")).toBeVisible();
  await desk.type("Slide X", "3");
  await expect(page.getByText(/"Catch" is locked/).first()).toBeVisible();
  await desk.press("Escape");
  await desk.select(latch);
  // A locked part can still be named.
  await desk.field("Part name").fill("Snap catch");
  await desk.field("Part name").press("Enter");
  undos.push("rename");
  await desk.press("Control+Shift+s");
  undos.push("ghost");
  await expect(desk.part(latch).getByLabel("Seen through")).toBeVisible();
  await desk.press("Control+Shift+h");
  undos.push("hide");
  expect(await nodes(latch)).toMatchObject({ name: "Snap catch", locked: true, ghost: true, hidden: true });
  await desk.press("Control+Shift+o");
  undos.push("only");
  expect(await read<boolean>(page, "desk.program.hidden[desk.index.indexOf.get('Rill H2/Frame')] === 1")).toBe(true);
  await desk.press("Control+Shift+e");
  undos.push("all");
  expect((await nodes(latch)).hidden).toBeUndefined();

  // Ctrl adds, Shift takes a range; dragging the rows onto a group puts them in.
  await desk.part("Rill H2/Lid/Hinge pin").click();
  await desk.part("Rill H2/Lid/Latch pin").click({ modifiers: ["Control"] });
  await expect(page.locator(".details h3")).toHaveText("2 parts selected");
  await desk.part("Rill H2/Lid/Latch pin").dragTo(page.locator('.part[data-group="plunger"]'));
  undos.push("join");
  await expect
    .poll(() => read<string[]>(page, "desk.state.preparation.body.groups.plunger.members"))
    .toContain("Rill H2/Lid/Hinge pin");
  expect(await read<number>(page, "desk.state.preparation.body.groups.plunger.members.length")).toBe(4);
  await desk.part("Rill H2/Lid/Lid shell").click();
  await desk.part("Rill H2/Lid/Lid badge").click({ modifiers: ["Shift"] });
  await expect(page.locator(".details h3")).toHaveText("5 parts selected");

  // The menu by the keyboard, from tree or stage.
  await desk.select("Rill H2/Filter/Drain seal");
  await desk.press("Shift+F10");
  await page.getByRole("menuitem", { name: /Select alike/ }).hover();
  await page.getByRole("menuitem", { name: "Same finish" }).click();
  await expect(page.locator(".details h3")).toHaveText(/^[3-9] parts selected$/);

  await page.getByRole("button", { name: "Filter parts" }).click();
  await desk.type("Smallest size", "200");
  await expect(page.getByText(/[1-9] of 85 found/)).toBeVisible();
  await desk.type("Smallest size", "");
  await desk.press("Escape");
  for (const _ of undos) await desk.press("Control+z");
  expect(Object.keys(await nodes(latch))).toEqual(["finish"]);
  expect(await read<number>(page, "desk.state.preparation.body.groups.plunger.members.length")).toBe(2);
  await desk.saved();
});

test("pivots and views: picked and typed, the part stays; square, parallel, flying", async ({ page }) => {
  const desk = await DeskPage.newProject(page, "Cube");
  await desk.bringIn(CUBE);
  const key = await read<string>(page, "desk.index.assembly.nodes.find((n) => n.geometry >= 0).key");
  await desk.select(key);
  const home = await desk.matrix(key);
  const pivot = () =>
    read<number[]>(
      page,
      "Array.from(desk.program.trackNode(desk.index.assembly.nodes[desk.state.selection[0]].key).pivot)",
    );
  expect((await pivot()).map(Math.round)).toEqual([500, 500, 500]);
  const pick = async (what: string, kind: string) => {
    await page.getByRole("button", { name: "Pick pivot" }).click();
    await page.getByRole("menuitem", { name: what }).click();
    await expect(page.locator(".pick-bar")).toBeVisible();
    const at = await desk.featureSpot(key, [kind], [kind]);
    await page.mouse.move(at.x, at.y);
    await page.mouse.click(at.x, at.y);
    await expect(page.locator(".pick-bar")).toHaveCount(0);
  };
  await pick("A corner", "corner");
  const corner = await pivot();
  expect(corner.every((v) => Math.abs(v) < 1e-6 || Math.abs(v - 1000) < 1e-6)).toBe(true);
  await pick("Middle of a face", "face");
  expect((await pivot()).filter((v) => Math.abs(v - 500) < 1e-3)).toHaveLength(2);
  await pick("Middle of an edge", "edge-middle");
  expect((await pivot()).filter((v) => Math.abs(v - 500) < 1e-6)).toHaveLength(1);
  expect(await desk.matrix(key)).toEqual(home);
  // Lengths in another unit, everywhere; documents stay in millimetres.
  await page.getByRole("button", { name: "Assembly", exact: true }).click();
  await page.getByRole("menuitem", { name: "inches", exact: true }).click();
  await desk.type("Pivot X", "2");
  expect((await pivot())[0]).toBeCloseTo(50.8, 9);
  await desk.type("Pivot X", "12 mm");
  expect((await pivot())[0]).toBeCloseTo(12, 9);
  await page.getByRole("button", { name: "Middle of its bounds" }).click();
  expect((await pivot()).map(Math.round)).toEqual([500, 500, 500]);
  expect(await desk.matrix(key)).toEqual(home);

  const look = async (name: string) => {
    await page.getByRole("button", { name: "Look from" }).click();
    await page.getByRole("menuitem", { name }).click();
  };
  const view = () => read<{ azimuth: number; elevation: number }>(page, "desk.view.control.view");
  await look("Top");
  await expect.poll(view).toMatchObject({ elevation: 90 });
  await look("Three-quarter");
  await look("Square to a picked face");
  const face = await desk.featureSpot(key, ["face"]);
  await page.mouse.move(face.x, face.y);
  await page.mouse.click(face.x, face.y);
  await expect(page.locator(".pick-bar")).toHaveCount(0);
  const square = await view();
  expect([0, 90].some((e) => Math.abs(Math.abs(square.elevation) - e) < 1e-6)).toBe(true);
  // From above or below any azimuth is square.
  if (Math.abs(square.elevation) < 1)
    expect(Math.abs(square.azimuth / 90 - Math.round(square.azimuth / 90))).toBeLessThan(1e-6);
  await look("Without perspective");
  expect(await read<boolean>(page, "desk.view.camera.isOrthographicCamera === true")).toBe(true);
  await look("Without perspective");
  await page.getByRole("button", { name: "Fly" }).click();
  const before = await read<number[]>(page, "['aim.x','aim.y','aim.z'].map((k) => desk.view.control.view[k])");
  await page.getByTestId("stage-canvas").focus();
  await page.keyboard.down("ArrowUp");
  await expect
    .poll(() => read<number[]>(page, "['aim.x','aim.y','aim.z'].map((k) => desk.view.control.view[k])"))
    .not.toEqual(before);
  await page.keyboard.up("ArrowUp");
  await page.getByRole("button", { name: "Fly" }).click();
});

test("snapping: increments, to other parts, and digits typed while dragging", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  await desk.select("Rill H2/Lid");
  await page.getByRole("button", { name: "Snapping" }).click();
  await desk.type("Snap distance", "2.5");
  await desk.type("Snap angle", "15");
  await page.getByLabel("Snap to other parts").click();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: "Snapping" })).toHaveText("Snap 2.5 mm · 15° + parts");
  await page.getByRole("button", { name: "Snapping" }).click();
  await page.getByLabel("Snap to other parts").click();
  await page.keyboard.press("Escape");
  const from = await desk.bead({ kind: "slide", axis: 2 });
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x, from.y - 33, { steps: 5 });
  await expect(page.locator(".readout")).toContainText("Z");
  await page.keyboard.type("17.25");
  await expect(page.locator(".readout")).toContainText("17.25");
  await page.keyboard.press("Enter");
  await page.mouse.up();
  await expect(desk.field("Slide Z")).toHaveValue("17.25");
  await desk.press("Control+Backspace");
  const again = await desk.bead({ kind: "slide", axis: 2 });
  await page.mouse.move(again.x, again.y);
  await page.mouse.down();
  await page.mouse.move(again.x, again.y - 27, { steps: 5 });
  await page.mouse.up();
  const slid = Number(await desk.field("Slide Z").inputValue());
  expect(slid).not.toBe(0);
  expect((slid / 2.5) % 1).toBe(0);
  await desk.press("Control+Backspace");
});

test("steps: split at a still moment, refused while something moves, merged again to the same film", async ({
  page,
}) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  const cap = "Rill H2/Filter/Bayonet cap";
  const length = await read<number>(page, "desk.program.steps.length");
  const menu = async (title: string, item: string) => {
    await page.getByRole("button", { name: `More about ${title}`, exact: true }).click();
    await page.getByRole("menuitem", { name: item }).click();
  };
  await page.locator(".card-main").nth(2).click();
  await desk.type("Time in step", "1");
  await menu("A quarter turn", "Split at the playhead");
  await expect(
    page.getByText(
      /Bayonet cap: a quarter turn is moving there, and a movement cannot be cut. The next moment .* is 1.7 s/,
    ),
  ).toBeVisible();
  await desk.type("Time in step", "3.2");
  const there = await desk.matrix(cap);
  await desk.type("Time in step", "1.7");
  await menu("A quarter turn", "Split at the playhead");
  await expect(page.locator(".card")).toHaveCount(13);
  await expect(page.locator(".card-title").nth(3)).toHaveText("A quarter turn (2)");
  expect(await read<number>(page, "desk.program.steps.length")).toBe(length);
  await page.locator(".card-main").nth(3).click();
  await desk.type("Time in step", "1.5");
  expect(await desk.matrix(cap)).toEqual(there);
  await menu("A quarter turn", "Merge with the next");
  await expect(page.locator(".card")).toHaveCount(12);
  await page.locator(".card-main").nth(2).click();
  await desk.type("Time in step", "3.2");
  expect(await desk.matrix(cap)).toEqual(there);
  await desk.press("Control+z");
  await desk.press("Control+z");
  await expect(page.locator(".card")).toHaveCount(12);
  await desk.saved();
});

test("mesh files: unit with a preview, files that belong together, and a unit taken wrong mended later with the work", async ({
  page,
}) => {
  const desk = await DeskPage.newProject(page, "Meshes");
  const file = (name: string, text: string) => ({
    name,
    mimeType: "application/octet-stream",
    buffer: Buffer.from(text),
  });
  const input = page.getByLabel("CAD file");
  await input.setInputFiles([file("cart.obj", "mtllib cart.mtl\no Bed\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")]);
  // Colours may come later; the shapes are there.
  await expect(
    page.getByRole("alert").filter({ hasText: /cart.mtl: not given, so parts have a plain finish/ }),
  ).toBeVisible();
  await page.getByRole("button", { name: "Another file" }).click();
  await input.setInputFiles([file("a.stl", stl([1, 1, 1])), file("b.stl", stl([1, 1, 1]))]);
  await expect(page.getByRole("alert").filter({ hasText: /These are 2 models/ })).toBeVisible();
  await input.setInputFiles([file("nan.stl", stl([1, 1, 1]).replace(/vertex 1 /g, "vertex NaN "))]);
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page.getByRole("alert").filter({ hasText: /not a usable number/ })).toBeVisible();

  await input.setInputFiles([file("block.stl", stl([2, 1, 0.5]))]);
  await expect(page.getByTestId("preview-size")).toHaveText(/2 × 1 × 0.5 mm/);
  await page.locator(".ant-select", { has: page.getByLabel("Unit of the file") }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: "metres" }).last().click();
  await expect(page.getByTestId("preview-size")).toHaveText(/2000 × 1000 × 500 mm/);
  await page.getByText("Y", { exact: true }).click();
  await expect(page.getByTestId("preview-size")).toHaveText(/up is Y/);
  await page.getByRole("button", { name: "Bring it in" }).click();
  await desk.ready();
  expect(await read<unknown>(page, "[desk.pkg.assembly.up, desk.pkg.assembly.unit]")).toEqual(["y", "m"]);

  // It was inches after all: read again, with what was keyed growing along.
  const key = await read<string>(page, "desk.index.assembly.nodes.find((n) => n.geometry >= 0).key");
  await desk.select(key);
  await desk.type("Time in step", "1.5");
  await desk.type("Slide X", "100");
  await page.getByRole("button", { name: "Keep pose" }).click();
  await expect(page.locator(".pin")).toHaveCount(1);
  await page.getByRole("button", { name: "Assembly", exact: true }).click();
  await page.getByRole("menuitem", { name: /Read the file again/ }).click();
  await page.locator(".ant-select", { has: page.getByLabel("Unit of the file") }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: "inches" }).click();
  await expect(page.getByText(/grow along \(times 0.0254\)/)).toBeVisible();
  await page.getByRole("button", { name: "Read again" }).click();
  await expect(page.getByText("The file was read again.", { exact: false })).toBeVisible({ timeout: 60_000 });
  await desk.ready();
  expect(await read<number>(page, "Math.round(desk.index.worldBounds[3] * 1000) / 1000")).toBe(50.8);
  await expect(page.locator(".pin")).toHaveCount(1);
  await desk.select(key);
  await expect(desk.field("Slide X")).toHaveValue("2.54");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(desk.field("Slide X")).toHaveValue("100");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect.poll(() => read<number>(page, "Math.round(desk.index.worldBounds[3])"), { timeout: 60_000 }).toBe(2000);
});

test("a revision put right by hand, what is gone marked and kept; surroundings undone", async ({ page }) => {
  const desk = await DeskPage.newProject(page, "Revised");
  const obj = (parts: [string, number][]) => {
    let n = 0;
    return parts
      .map(([name, x]) => {
        const v = [0, 1, 2, 3, 4, 5, 6, 7]
          .map((i) => `v ${x + (i & 1 ? 8 : 0)} ${i & 2 ? 8 : 0} ${i & 4 ? 8 + x / 10 : 0}`)
          .join("\n");
        const f = ["1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6"]
          .map(
            (q) =>
              `f ${q
                .split(" ")
                .map((i) => Number(i) + n)
                .join(" ")}`,
          )
          .join("\n");
        n += 8;
        return `o ${name}\n${v}\n${f}`;
      })
      .join("\n");
  };
  const give = (name: string, parts: [string, number][]) =>
    page.getByLabel("CAD file").setInputFiles({ name, mimeType: "text/plain", buffer: Buffer.from(obj(parts)) });
  await give("rig.obj", [
    ["Base", 0],
    ["Arm", 20],
    ["Tip", 40],
  ]);
  await page.locator(".ant-select", { has: page.getByLabel("Unit of the file") }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: "centimetres" }).click();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await desk.ready();
  const width = () => read<number>(page, "Math.round(desk.index.worldBounds[3])");
  expect(await width()).toBe(480);
  await page.locator(".part", { hasText: "Arm" }).click();
  await desk.type("Time in step", "1.5");
  await desk.type("Slide Z", "15");
  await page.getByRole("button", { name: "Keep pose" }).click();
  await expect(page.locator(".pin")).toHaveCount(1);
  await desk.saved();
  const revise = async (name: string, parts: [string, number][]) => {
    await page.getByRole("button", { name: "Assembly", exact: true }).click();
    await page.getByRole("menuitem", { name: "Bring in a revision" }).click();
    await give(name, parts);
    await page.getByRole("button", { name: "Read it" }).click();
    await expect(page.getByTestId("report-sum")).toBeVisible({ timeout: 60_000 });
  };
  await revise("rig-b.obj", [
    ["Base", 0],
    ["Tip", 40],
  ]);
  await expect(page.getByTestId("report-sum")).toContainText("1 gone");
  await expect(page.getByTestId("report-sum")).toContainText("1 step is touched");
  await page.getByRole("button", { name: "Apply the revision" }).click();
  await desk.ready();
  // Read as the file before it was: still in centimetres.
  expect(await width()).toBe(480);
  await expect(page.locator(".part.gone", { hasText: "Not in this revision (1)" })).toBeVisible();
  await expect(page.locator(".lane-name.gone")).toHaveText(/Arm/);
  await expect(page.locator(".pin")).toHaveCount(1);

  // A third file has it again under another name and longer: matched by hand, its work connects.
  await revise("rig-c.obj", [
    ["Base", 0],
    ["Boom", 24],
    ["Tip", 40],
  ]);
  await page.getByText(/^All \(/).click();
  await page.getByRole("button", { name: /Match of Arm:/ }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: "none of them" }).click();
  await expect(page.getByRole("button", { name: "Match of Arm: gone" })).toBeVisible();
  await page.getByRole("button", { name: "Match of Arm: gone" }).click();
  await page.locator(".ant-select-item-option:visible", { hasText: "Boom" }).click();
  await expect(page.getByRole("row", { name: /^Arm .*Boom.*100 %/ })).toBeVisible();
  await page.getByRole("button", { name: "Apply the revision" }).click();
  await desk.ready();
  await expect(page.locator(".part", { hasText: "Boom" })).toBeVisible();
  await expect(page.locator(".part.gone")).toHaveCount(0);
  await expect(page.locator(".lane-name", { hasText: "Boom" })).toBeVisible();
  await page.locator(".part", { hasText: "Boom" }).click();
  await desk.type("Time in step", "1.5");
  await expect(desk.field("Slide Z")).toHaveValue("15");

  await page.getByRole("button", { name: "Assembly", exact: true }).click();
  await page.getByRole("menuitem", { name: "Earlier revisions" }).click();
  await page.getByRole("button", { name: "Put in place again" }).last().click();
  await expect(page.locator(".part", { hasText: "Arm" })).toBeVisible({ timeout: 60_000 });

  await page.getByRole("button", { name: "Look", exact: true }).click();
  const before = await read<unknown>(page, "desk.state.preparation.body.surroundings");
  await desk.type("Strength", "1.8");
  // By hand as well, by a key or a drag, each one act; and the desk's own keys work from the slider.
  const slider = page.getByRole("slider", { name: "Strength slider" });
  await slider.press("ArrowLeft");
  await expect(desk.field("Strength")).not.toHaveValue("1.8");
  await page.keyboard.press("Control+z");
  await expect(desk.field("Strength")).toHaveValue("1.8");
  const rail = await slider.boundingBox();
  if (!rail) throw new Error("no slider");
  const along = (share: number) => page.mouse.move(rail.x + share * rail.width, rail.y + rail.height / 2);
  await along(0.5);
  await page.mouse.down();
  await along(0.2);
  await along(0.1);
  await page.mouse.up();
  await expect.poll(async () => Number(await desk.field("Strength").inputValue())).toBeLessThan(0.6);
  await page.keyboard.press("Control+z");
  await expect(desk.field("Strength")).toHaveValue("1.8");
  await page.getByText("mirror", { exact: true }).click();
  await desk.type("Edge weight", "2.2");
  await page.getByLabel("Edges", { exact: true }).click();
  expect(await read<unknown>(page, "desk.state.preparation.body.surroundings")).toMatchObject({
    key: { strength: 1.8 },
    ground: "reflection",
    edges: { on: false, weight: 2.2 },
  });
  for (let i = 0; i < 4; i++) await desk.press("Control+z");
  expect(await read<unknown>(page, "desk.state.preparation.body.surroundings")).toEqual(before);
});
