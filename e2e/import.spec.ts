import { readFile, rm, writeFile } from "node:fs/promises";
import { DeskPage, visit } from "./desk";
import { expect, test } from "./test";

const AS1 = "node_modules/occt-import-js/test/testfiles/cax-if/as1_pe_203.stp";

test("bad files get a clear message, and the project is as before", async ({ page }) => {
  await DeskPage.newProject(page, "Bad files");
  const whole = await readFile(AS1);
  const cases: [string, Uint8Array, RegExp][] = [
    ["cut.step", whole.subarray(0, 60_000), /ends too early/],
    ["words.step", new TextEncoder().encode("not CAD at all"), /not a STEP file/],
    ["empty.step", new Uint8Array(), /empty \(0 bytes\)/],
    [
      "plan.docx",
      new TextEncoder().encode("PK"),
      /reads STEP, IGES, BREP, glTF, GLB, .* files; .docx files it does not/,
    ],
    ["cut.glb", new TextEncoder().encode("glTF\u0002\u0000\u0000\u0000"), /not a GLB|damaged|cut off/],
  ];
  for (const [name, bytes, words] of cases) {
    await page
      .getByLabel("CAD file")
      .setInputFiles({ name, mimeType: "application/octet-stream", buffer: Buffer.from(bytes) });
    await expect(page.getByRole("alert").filter({ hasText: words })).toBeVisible({ timeout: 60_000 });
    await expect(page.getByRole("button", { name: "Choose a file" })).toBeVisible();
  }
  const health = await page.request.get("/api/health");
  expect(health.ok()).toBe(true);
});

test("an import can be cancelled, the page stays responsive, and the next one works", async ({ page }) => {
  const desk = await DeskPage.newProject(page, "Cancelled");
  // A byte more than the demo's file, so that it is not in the cache.
  const bytes = Buffer.concat([await readFile("demo/rill-h2-rev-b.step"), Buffer.from("\n")]);
  await page.getByLabel("CAD file").setInputFiles({ name: "long.step", mimeType: "application/step", buffer: bytes });
  await expect(page.locator(".stages li.now")).toHaveText(/Read|Mesh/, { timeout: 60_000 });
  // Frames go on being drawn while the file is read.
  const frames = await page.evaluate(
    () =>
      new Promise<number>((done) => {
        let n = 0;
        const tick = () => (++n < 30 ? requestAnimationFrame(tick) : done(n));
        requestAnimationFrame(tick);
      }),
  );
  expect(frames).toBe(30);
  await expect(page.locator(".stages li.now")).toHaveText(/Read|Mesh/);
  // Leaving the page leaves the work alone; coming back finds it.
  await page.reload();
  await expect(page.getByText("Bringing in long.step")).toBeVisible();
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("Cancelled. Nothing was changed.")).toBeVisible();
  await desk.bringIn(AS1);
  await expect(page.locator(".part").first()).toBeVisible();
});

test("a project file that cannot be opened says why; titles that are too long stay as they were", async ({ page }) => {
  await visit(page);
  await writeFile("var/broken.plextan.zip", "PK\u0003\u0004 nonsense");
  await page.getByLabel("Project file").setInputFiles("var/broken.plextan.zip");
  await expect(page.getByText(/The project file is damaged/)).toBeVisible();
  await rm("var/broken.plextan.zip");

  const desk = new DeskPage(page);
  await desk.openDemo();
  const title = await page.locator(".card-title").first().innerText();
  await desk.field("Title").fill("x".repeat(5000));
  await desk.field("Title").press("Enter");
  await expect(page.getByText(/at most 200 characters; this has 5,000/)).toBeVisible();
  await expect(page.locator(".card-title").first()).toHaveText(title);
  await desk.field("Title").fill("<img src=x onerror=alert(1)>");
  await desk.field("Title").press("Enter");
  await expect(page.locator(".card-title").first()).toHaveText("<img src=x onerror=alert(1)>");
  await desk.press("Control+z");
  await expect(page.locator(".card-title").first()).toHaveText(title);
  await desk.saved();
});

test("the demo opens ready to play, also from the keyboard alone", async ({ page }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  await expect(page.locator(".card")).toHaveCount(12);
  // The cameras' lanes are the last.
  await page.locator(".timeline-scroll").hover();
  await page.mouse.wheel(0, 5000);
  await expect(page.locator(".lane-name", { hasText: "Main camera" })).toBeVisible();
  await desk.press("End");
  await expect(page.getByTestId("frame")).toContainText(/frame (\d+) of/);
  await desk.press("Control+ArrowLeft");
  const at = await desk.field("Sequence time").inputValue();
  await desk.press("Control+ArrowRight");
  expect(Number(await desk.field("Sequence time").inputValue())).toBeGreaterThan(Number(at));
  await desk.type("Sequence time", "sooner");
  await expect(page.getByText(/is not a time/)).toBeVisible();
  await desk.field("Sequence time").press("Escape");
  await desk.press("F1");
  await expect(page.getByRole("dialog").getByText("Keep the pending pose")).toBeVisible();
});

test("work done while the server is away is kept and saved when it is back", async ({ page, context }) => {
  const desk = new DeskPage(page);
  await desk.openDemo();
  const note = desk.field("Note (not published)");
  await context.route("**/api/documents/**", (route) => route.abort());
  await note.fill("written offline");
  await note.blur();
  await expect(page.getByTestId("save-state")).toContainText("Not reached; kept in this browser");
  await page.reload();
  await context.unroute("**/api/documents/**");
  await page.reload();
  await desk.ready();
  await expect(desk.field("Note (not published)")).toHaveValue("written offline");
  await desk.saved();
  await desk.field("Note (not published)").fill("");
  await desk.field("Note (not published)").blur();
  await desk.saved();
});
